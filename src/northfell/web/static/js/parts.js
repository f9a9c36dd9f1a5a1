// An answer to an edit holds the symbols and rows that changed, if this window has the others already; they are put in place here.
// All else of the desk is morphed. The sheet and the rows are left alone by that: they may be thousands.
import { tell } from "./notice.js";
import { put, table } from "./rows.js";
import { go } from "./select.js";
import { arrive, desk } from "./view.js";

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

const known = new WeakMap(); // the symbols of a sheet, in the order in which the server gave them
const groups = (svg) => known.get(svg) ?? known.set(svg, [...svg.children].filter((kid) => kid.localName === "a")).get(svg);

function symbols(live, sent) {
  if (!live || !sent) return;
  const focused = document.activeElement?.closest?.("[data-element]");
  const again = focused && live.contains(focused) ? focused.dataset.element : null;
  if (sent.hasAttribute("data-some")) {
    const there = groups(live), fresh = [...sent.children];
    for (const symbol of fresh) {
      const n = Number(symbol.dataset.n);
      symbol.removeAttribute("data-n");
      there[n]?.replaceWith(symbol);
      there[n] = symbol;
    }
    arrive(fresh);
    sent.removeAttribute("data-some");
  } else {
    live.replaceChildren(...sent.children);
    known.delete(live);
    arrive(null);
  }
  sent.replaceChildren();
  if (again !== null) live.querySelector(`[data-element="${CSS.escape(again)}"]`)?.focus({ preventScroll: true });
}

// htmx searches what it has put in place for what it should heed: all of it but the sheet and rows of links, which select.js follows.
const process = window.htmx.process.bind(window.htmx);
const large = () => [document.getElementById("sheet"), table()].filter(Boolean);

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

document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) {
    const sent = task.fragment;
    if (!sent?.querySelector?.("#desk")) continue;
    for (const menu of document.querySelectorAll("details.menu[id][open]")) // stays open, unless it is what was asked from
      if (!menu.contains(event.detail.ctx?.sourceElement)) sent.querySelector(`#${CSS.escape(menu.id)}`)?.setAttribute("open", "");
    symbols(document.getElementById("sheet"), sent.querySelector("#sheet"));
    const [live, fresh] = [table(), sent.querySelector("#ledger .rows > table")];
    if (live && fresh && live.parentElement.id === fresh.parentElement.id) put(fresh); // another table comes whole
  }
});

// What was typed is shown as it was understood, also where that is what stood there before and nothing was sent for it.
document.addEventListener("htmx:after:swap", (event) => {
  const field = event.detail.ctx?.sourceElement;
  if (field?.isConnected && field.matches("input.number[hx-post]") && !field.hasAttribute("aria-invalid")) field.value = field.defaultValue;
});
