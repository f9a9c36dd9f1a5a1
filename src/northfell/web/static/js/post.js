// Changes asked for by gestures and keys: each is posted with the version it was based on.
import { desk } from "./view.js";

export const project = (path) => `/projects/${desk().dataset.project}${path}`;
export const here = (path) => `${project(path)}?${desk().dataset.view}`;

export function post(path, values) {
  return window.htmx.ajax("POST", here(path), { target: "#work", swap: "innerMorph", values: { ...values, version: desk().dataset.version } });
}

// What is rarely touched on a card is sent by these two, so that htmx need not look at it each time the card is shown.
const send = (control, values) => window.htmx.ajax("POST", `${control.dataset.sends}?${desk().dataset.view}`, { target: "#work", swap: "innerMorph", values: { ...values, version: desk().dataset.version } });

document.addEventListener("click", (event) => {
  const button = event.target.closest?.("button[data-sends]");
  if (button) send(button, {});
});
document.addEventListener("change", (event) => {
  if (event.target.matches?.("select[data-sends]")) send(event.target, { value: event.target.value });
});
