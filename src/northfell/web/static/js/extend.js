import { here } from "./post.js";
import { desk, glance } from "./view.js";

// Extend: type what comes next; what was understood and a ghost on the sheet follow the typing, Enter places it.
const form = document.getElementById("extend");
const input = document.getElementById("extend-text");
const preview = document.getElementById("extend-preview");
let asked = 0;
let lines = JSON.parse(sessionStorage.getItem("extend lines") ?? "[]"); // typed before, newest first
let recalled = -1;
let timer = 0;

function showGhost() {
  document.getElementById("ghost")?.remove();
  const source = preview.querySelector("[data-ghost]");
  const sheet = document.getElementById("sheet");
  glance(source?.dataset.ghost);
  if (!source?.childElementCount || !sheet) return;
  const ghost = document.createElementNS("http://www.w3.org/2000/svg", "g");
  ghost.id = "ghost";
  ghost.append(...source.children);
  sheet.append(ghost);
}

async function look() {
  const turn = ++asked;
  form.querySelector("[data-from]").textContent = desk().dataset.selected ? `from ${desk().dataset.selected}` : "";
  const answer = await fetch(`${here("/extend/preview")}&text=${encodeURIComponent(input.value)}`, { headers: { "HX-Request": "true" } });
  if (turn !== asked || form.hidden) return;
  preview.innerHTML = await answer.text();
  showGhost();
}

export function openExtend(line) {
  form.hidden = false;
  desk().classList.remove("with-tray"); // one of the two at a time
  localStorage.setItem("tray", "shut");
  if (typeof line === "string") input.value = line;
  desk().classList.add("extending");
  input.focus();
  look();
}

export function closeExtend() {
  if (form && !form.hidden) close();
}

function close() {
  asked += 1;
  form.hidden = true;
  desk().classList.remove("extending");
  document.getElementById("ghost")?.remove();
  glance();
}

input?.addEventListener("input", () => {
  clearTimeout(timer);
  timer = setTimeout(look, 90);
});

form?.addEventListener("submit", async (event) => {
  event.preventDefault();
  clearTimeout(timer);
  asked += 1;
  const before = desk().dataset.version;
  const line = input.value;
  await window.htmx.ajax("POST", here("/extend"), { target: "#work", swap: "innerMorph", values: { text: input.value, version: before } });
  if (desk().dataset.version !== before) {
    lines = [line, ...lines.filter((l) => l !== line)].slice(0, 50);
    sessionStorage.setItem("extend lines", JSON.stringify(lines));
    recalled = -1;
    input.value = "";
  }
  look();
});

form?.addEventListener("keydown", (event) => {
  if (event.key === "Escape") close();
  const step = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!step || !lines.length) return;
  event.preventDefault();
  recalled = Math.min(Math.max(recalled + step, -1), lines.length - 1);
  input.value = lines[recalled] ?? "";
  look();
});

document.addEventListener("click", (event) => event.target.closest?.('[data-do="extend"]') && (form.hidden ? openExtend() : close()));
// another selection while typing: it continues from there
document.addEventListener("htmx:after:swap", () => {
  if (form.hidden) return;
  desk().classList.add("extending");
  look();
});
if (desk()?.dataset.empty === "yes") openExtend();
