// What is picked on the sheet: one element by the address, several by shift, a rectangle, or everything downstream.
import { tell } from "./notice.js";
import { here, post } from "./post.js";
import { desk, sheet } from "./view.js";

let picked = new Set();
let of = "";
let painted = false; // whether any symbol is marked: else there is nothing to look through
const KEPT = "northfell clip";

export const symbols = () => [...(sheet()?.querySelectorAll("a.el[data-element]") ?? [])];
const key = () => `${sheet()?.dataset.key}`;
const chosen = () => desk()?.dataset.element ?? "";

// All that is picked; a single selection counts.
export function selection() {
  if (picked.size) return [...picked];
  return chosen() ? [chosen()] : [];
}

export const isPicked = (id) => picked.has(id);
export const several = () => picked.size > 1;

export function pick(ids) {
  picked = new Set(ids);
  paint();
}

export function toggle(id) {
  if (!picked.size && chosen()) picked.add(chosen());
  if (!picked.delete(id)) picked.add(id);
  paint();
}

function paint() {
  if (of !== key()) {
    picked = new Set();
    of = key();
  }
  const there = new Set();
  if (picked.size || painted) for (const symbol of symbols()) {
    const id = symbol.dataset.element;
    there.add(id);
    symbol.classList.toggle("picked", picked.has(id));
  }
  painted = picked.size > 0;
  for (const id of picked) if (!there.has(id)) picked.delete(id);
  const bar = document.getElementById("picked");
  if (!bar) return;
  bar.hidden = picked.size < 2;
  bar.querySelector("[data-count]").textContent = `${picked.size} picked`;
}

export function act(name, values = {}) {
  const ids = selection();
  if (!ids.length) return tell("Nothing is picked. Click a symbol; with shift, several.");
  return post(`/sheet/${name}`, { ids: JSON.stringify(ids), ...values });
}

// A form that is about what is picked, where that are several, says which.
document.addEventListener("htmx:config:request", (event) => {
  const { ctx } = event.detail;
  if (ctx.sourceElement.closest?.("[data-with-picked]") && several()) ctx.request.body?.set?.("ids", JSON.stringify(selection()));
});

export async function downstream() {
  if (!chosen()) return tell("Select a symbol first: everything that it feeds is picked then.");
  const answer = await fetch(here("/downstream"));
  const there = new Set(symbols().map((s) => s.dataset.element));
  if (answer.ok) pick((await answer.json()).filter((id) => there.has(id)));
}

export async function copy() {
  const ids = selection();
  if (!ids.length) return tell("Nothing is picked to copy.");
  const answer = await fetch(here("/clip"), { method: "POST", body: new URLSearchParams({ ids: JSON.stringify(ids) }) });
  const text = await answer.text();
  if (!answer.ok) return tell("This could not be copied.", true);
  localStorage.setItem(KEPT, text);
  try { await navigator.clipboard.writeText(text); } catch { /* the copy kept here serves this browser */ }
  return tell(`${ids.length} copied. Paste with Ctrl+V here, on another sheet or in another project.`);
}

export function paste(text) {
  const clip = text?.includes("northfell-clip") ? text : localStorage.getItem(KEPT);
  if (!clip) return tell("There is nothing to paste: copy a selection first.");
  return post("/paste", { text: clip, onto: chosen() ? "true" : "false" });
}

export function inRectangle(x1, y1, x2, y2) {
  const [left, right, top, bottom] = [Math.min(x1, x2), Math.max(x1, x2), Math.min(y1, y2), Math.max(y1, y2)];
  return symbols().filter((s) => {
    const at = (s.querySelector(".hit") ?? s.querySelector(".band") ?? s).getBBox();
    return at.x + at.width > left && at.x < right && at.y + at.height > top && at.y < bottom;
  }).map((s) => s.dataset.element);
}

export function nudge(dx, dy) {
  if (selection().length) act("move", { dx, dy });
}

export async function storeAssembly() {
  const name = window.prompt("Store the picked symbols as an assembly named:");
  if (!name) return;
  const answer = await fetch(here("/assemblies"), { method: "POST", headers: { "HX-Request": "true" }, body: new URLSearchParams({ ids: JSON.stringify(selection()), name }) });
  const text = await answer.text();
  tell(answer.ok ? text : new DOMParser().parseFromString(text, "text/html").body.textContent.trim(), !answer.ok);
}

document.addEventListener("paste", (event) => {
  if (event.target.matches?.("input, select, textarea") || !sheet()) return;
  event.preventDefault();
  paste(event.clipboardData?.getData("text"));
});
document.addEventListener("htmx:after:swap", paint);
paint();
