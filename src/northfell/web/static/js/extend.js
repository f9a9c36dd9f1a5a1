import { glance } from "./view.js";

// Extend: type what comes next; what was understood and a ghost on the sheet follow the typing, Enter places it.
const form = document.getElementById("extend");
const input = document.getElementById("extend-text");
const preview = document.getElementById("extend-preview");
const desk = () => document.getElementById("desk");
let asked = 0;
let timer = 0;

function address(act) {
  return `/projects/${desk().dataset.project}/extend${act}?${desk().dataset.view}`;
}

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
  const answer = await fetch(`${address("/preview")}&text=${encodeURIComponent(input.value)}`, { headers: { "HX-Request": "true" } });
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
  await window.htmx.ajax("POST", address(""), { target: "#work", swap: "innerMorph", values: { text: input.value, version: before } });
  if (desk().dataset.version !== before) input.value = "";
  look();
});

form?.addEventListener("keydown", (event) => event.key === "Escape" && close());

document.addEventListener("click", (event) => event.target.closest?.('[data-do="extend"]') && (form.hidden ? openExtend() : close()));
// another selection while typing: it continues from there
document.addEventListener("htmx:after:swap", () => {
  if (form.hidden) return;
  desk().classList.add("extending");
  look();
});
if (desk()?.dataset.empty === "yes") openExtend();
