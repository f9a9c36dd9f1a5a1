// An answer to an edit holds the symbols and rows that changed, if this window has the others already; they are put in place here.
// All else of the desk is morphed. The sheet and the rows are left alone by that: they may be thousands.
import { tell } from "./notice.js";
import { go } from "./select.js";
import { desk } from "./view.js";

// An answer that was made upon something else than this window shows by now, because another came before it, cannot be put in place:
// the look is asked for whole. What it had to say is said.
document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) {
    const sent = task.fragment?.querySelector?.("#desk");
    if (!sent?.dataset.base || sent.dataset.base === desk()?.dataset.has) continue;
    event.preventDefault();
    event.stopImmediatePropagation();
    desk().dataset.has = "";
    const said = sent.querySelector("#said-now")?.dataset.lines ?? [...sent.querySelectorAll('[role="alert"] p')].map((p) => p.textContent).join("\n");
    go(`/projects/${sent.dataset.project}/${sent.dataset.stage}?${sent.dataset.view}`);
    if (said) tell(said, true);
    return;
  }
}, true);

function put(live, sent, kids) {
  if (!live || !sent) return;
  const focused = document.activeElement?.closest?.("[data-element]");
  const again = focused && live.contains(focused) ? focused.dataset.element : null;
  if (sent.hasAttribute("data-some")) {
    const there = new Map(kids(live).map((kid) => [kid.n, kid]));
    for (const fresh of Array.from(sent.children)) { // a list of its own: what is put in place leaves it
      fresh.n = Number(fresh.dataset.n);
      fresh.removeAttribute("data-n");
      if (fresh.localName === "tr") fresh.dataset.fresh = "";
      there.get(fresh.n)?.replaceWith(fresh);
    }
    sent.removeAttribute("data-some");
  } else {
    live.replaceChildren(...sent.children);
    number(live, kids);
  }
  sent.replaceChildren();
  if (again !== null) live.querySelector(`[data-element="${CSS.escape(again)}"]`)?.focus({ preventScroll: true });
}

// htmx searches what it has put in place for what it should heed: all of it but the sheet and rows of links, which select.js follows.
const process = window.htmx.process.bind(window.htmx);
const body = () => document.getElementById("ledger")?.querySelector(".rows tbody");
const large = () => [document.getElementById("sheet"), body()?.querySelector("[hx-post]") ? null : body()].filter(Boolean);

function around(part, left) {
  for (const kid of part.children) {
    if (left.includes(kid)) continue;
    if (left.some((one) => kid.contains(one))) around(kid, left);
    else process(kid);
  }
}

window.htmx.process = (part, ...more) => {
  const left = large().filter((one) => part?.contains?.(one) && one !== part);
  if (left.length) around(part, left);
  else process(part, ...more);
};

function number(live, kids) {
  kids(live).forEach((kid, n) => { kid.n = n; });
}

const groups = (svg) => [...svg.children].filter((kid) => kid.localName === "a");
const rows = (body) => [...body.children];

document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) {
    const sent = task.fragment;
    if (!sent?.querySelector?.("#desk")) continue;
    put(document.getElementById("sheet"), sent.querySelector("#sheet"), groups);
    const [live, fresh] = [body(), sent.querySelector(".rows tbody")];
    if (live && fresh && live.closest(".rows").id === fresh.closest(".rows").id) put(live, fresh, rows); // another table comes whole
  }
});

function begin() {
  const [svg, lines] = [document.getElementById("sheet"), body()];
  if (svg && svg.querySelector(":scope > a")?.n === undefined) number(svg, groups);
  if (lines && lines.firstElementChild?.n === undefined) number(lines, rows);
}

// What was typed is shown as it was understood, also where that is what stood there before and nothing was sent for it.
document.addEventListener("htmx:after:swap", (event) => {
  const field = event.detail.ctx?.sourceElement;
  if (field?.isConnected && field.matches("input.number[hx-post]") && !field.hasAttribute("aria-invalid")) field.value = field.defaultValue;
});

document.addEventListener("htmx:after:swap", begin);
begin();
