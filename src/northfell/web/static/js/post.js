// Changes asked for by gestures and keys: each is posted with the version it was based on.
import { desk } from "./view.js";

export const project = (path) => `/projects/${desk().dataset.project}${path}`;
export const here = (path) => `${project(path)}?${desk().dataset.view}`;

export function post(path, values) {
  return window.htmx.ajax("POST", here(path), { target: "#work", swap: "innerMorph", values: { ...values, version: desk().dataset.version } });
}

// What is rarely touched on a card is sent by these two, so that htmx need not look at it each time the card is shown.
// One after the other: the version that is sent is the one that the answer before has brought.
let sent = Promise.resolve();
function send(control, values) {
  const path = control.dataset.sends;
  const now = () => window.htmx.ajax("POST", `${path}?${desk().dataset.view}`, { target: "#work", swap: "innerMorph", values: { ...values, version: desk().dataset.version } });
  sent = sent.then(now, now);
  return sent;
}
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("button[data-sends]");
  if (button) send(button, {});
});
document.addEventListener("change", (event) => {
  if (event.target.matches?.("select[data-sends]")) send(event.target, { value: event.target.value });
});
