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
  if (act === "in") nearer(0.7);
  if (act === "out") nearer(1 / 0.7);
});

// The plan's box; it is set once for each frame, however many moves there were.
let next = null;
function box(to) {
  if (!next) requestAnimationFrame(() => { plan.setAttribute("viewBox", next.join(" ")); next = null; });
  next = to;
}
const now = () => next ?? numbers(plan.getAttribute("viewBox"));
function nearer(factor, px, py) {
  const [x, y, w, h] = now(), whole = numbers(plan.dataset.fit);
  const size = Math.min(Math.max(w * factor, whole[2] / 60), whole[2] * 2), f = size / w;
  const cx = px ?? x + w / 2, cy = py ?? y + h / 2;
  box([cx - (cx - x) * f, cy - (cy - y) * f, w * f, h * f]);
}
plan?.addEventListener("wheel", (event) => {
  event.preventDefault();
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(plan.getScreenCTM().inverse());
  nearer(event.deltaY > 0 ? 1.15 : 1 / 1.15, p.x, p.y);
}, { passive: false });

let held = null;
plan?.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  moved = false;
  held = { x: event.clientX, y: event.clientY, from: now(), scale: plan.getScreenCTM().a };
});
window.addEventListener("pointermove", (event) => {
  if (!held) return;
  const dx = event.clientX - held.x, dy = event.clientY - held.y;
  if (!moved && Math.hypot(dx, dy) < 4) return;
  moved = true;
  const [x, y, w, h] = held.from;
  box([x - dx / held.scale, y - dy / held.scale, w, h]);
});
window.addEventListener("pointerup", () => { held = null; });

if (place && svgs().length) mark(place.dataset.selected);
