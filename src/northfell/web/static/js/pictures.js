// The pictures of a feeder: what is clicked in one is marked in both, with its numbers beside them; the plan is moved and brought nearer.
import { tell } from "./notice.js";
import { numbers } from "./view.js";

const place = document.querySelector("main.pictures");
const plan = document.getElementById("plan");
const svgs = () => document.querySelectorAll("svg.feeder");

function mark(id) {
  for (const old of document.querySelectorAll("svg.feeder .fd.picked")) old.classList.remove("picked");
  if (!id) return;
  for (const one of document.querySelectorAll(`svg.feeder [data-element="${CSS.escape(id)}"]`)) {
    one.classList.add("picked");
    const last = one.parentNode.querySelector(".fd-over");
    if (last && one.closest("#profile")) last.before(one); // what is picked lies over the others
  }
}

async function pick(id) {
  mark(id);
  place.dataset.selected = id;
  const there = new URL(window.location.href);
  there.searchParams.set("selected", id);
  window.history.replaceState(null, "", there);
  for (const kept of document.querySelectorAll('form input[name="selected"]')) kept.value = id;
  const asked = new URLSearchParams({ selected: id, state: document.querySelector('select[name="state"]').value });
  if (there.searchParams.get("proposal")) asked.set("proposal", there.searchParams.get("proposal"));
  const answer = await fetch(`${place.dataset.of}?${asked}`, { headers: { "HX-Request": "true" } }).catch(() => null);
  if (place.dataset.selected !== id) return;
  if (!answer?.ok) return tell(["What was clicked could not be asked for. Try again."]);
  document.getElementById("picked-one").innerHTML = await answer.text();
  const back = document.querySelector('[data-do="back"]'), onSheet = document.querySelector("#picked-one a.btn");
  if (back && onSheet) back.href = onSheet.href;
}

let moved = false;
document.addEventListener("click", (event) => {
  const group = event.target.closest?.("svg.feeder [data-element]");
  if (group && !moved) pick(group.dataset.element);
  const act = event.target.closest?.("[data-do]")?.dataset.do;
  if (act === "print") window.print();
  if (act === "fit") box(numbers(plan.dataset.fit));
  if (act === "in") nearer(1 / 0.7);
  if (act === "out") nearer(0.7);
});

// The plan is moved as one drawn layer while the hand moves, and drawn anew where it came to rest: thousands of lines follow the hand.
const now = () => numbers(plan.getAttribute("viewBox"));
const box = (to) => plan.setAttribute("viewBox", to.join(" "));
let shift = { x: 0, y: 0, f: 1 }, resting = 0;
function layer() {
  plan.style.transform = shift.f === 1 && !shift.x && !shift.y ? "" : `translate(${shift.x}px, ${shift.y}px) scale(${shift.f})`;
}
function rest() {
  clearTimeout(resting);
  const [x, y, w, h] = now(), scale = plan.clientWidth / w;
  box([x - shift.x / shift.f / scale, y - shift.y / shift.f / scale, w / shift.f, h / shift.f]);
  shift = { x: 0, y: 0, f: 1 };
  layer();
}
function nearer(factor, px = plan.clientWidth / 2, py = plan.clientHeight / 2) {
  const w = now()[2] / shift.f, whole = numbers(plan.dataset.fit)[2];
  const f = Math.min(Math.max(factor, w / (whole * 2)), (w * 60) / whole);
  shift = { x: px - (px - shift.x) * f, y: py - (py - shift.y) * f, f: shift.f * f };
  layer();
  clearTimeout(resting);
  resting = setTimeout(rest, 160);
}
plan?.addEventListener("wheel", (event) => {
  event.preventDefault();
  const frame = plan.parentElement.getBoundingClientRect();
  nearer(event.deltaY > 0 ? 1 / 1.15 : 1.15, event.clientX - frame.x, event.clientY - frame.y);
}, { passive: false });

let held = null;
plan?.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  rest();
  moved = false;
  held = { x: event.clientX, y: event.clientY };
});
window.addEventListener("pointermove", (event) => {
  if (!held) return;
  const dx = event.clientX - held.x, dy = event.clientY - held.y;
  if (!moved && Math.hypot(dx, dy) < 4) return;
  moved = true;
  shift = { x: dx, y: dy, f: 1 };
  layer();
});
window.addEventListener("pointerup", () => {
  if (held && moved) rest();
  held = null;
});

if (place && svgs().length) mark(place.dataset.selected);
