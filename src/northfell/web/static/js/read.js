// What a reader may do with the sheet: look nearer, move it, and choose a symbol. Nothing here changes anything.
import { fit, numbers, pointIn, sheet, show, zoom } from "./view.js";

const acts = { fit, in: () => zoom(1 / 1.3), out: () => zoom(1.3) };
document.addEventListener("click", (event) => acts[event.target.closest?.("[data-do]")?.dataset.do]?.());
document.addEventListener("keydown", (event) => {
  if (event.target.matches?.("input, select") || event.ctrlKey || event.metaKey) return;
  ({ 0: fit, "+": acts.in, "-": acts.out })[event.key]?.();
});

let held = null;
sheet().addEventListener("pointerdown", (event) => {
  if (event.button) return;
  held = { at: pointIn(sheet(), event), from: [event.clientX, event.clientY], moved: false };
});
document.addEventListener("pointermove", (event) => {
  if (!held) return;
  if (!held.moved && Math.hypot(event.clientX - held.from[0], event.clientY - held.from[1]) < 4) return;
  held.moved = true;
  const [x, y, w, h] = numbers(sheet().getAttribute("viewBox"));
  const [px, py] = pointIn(sheet(), event);
  show(sheet(), [x + held.at[0] - px, y + held.at[1] - py, w, h]);
});
document.addEventListener("pointerup", () => setTimeout(() => { held = null; }));
sheet().addEventListener("click", (event) => held?.moved && event.preventDefault(), true);
sheet().addEventListener("dragstart", (event) => event.preventDefault());
