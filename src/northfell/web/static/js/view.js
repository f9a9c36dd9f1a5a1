// What is looked at of the sheet: pan, zoom and fit. It stays as it was when the server sends the drawing anew.
const kept = (svg) => `sheet ${svg.dataset.key}`;
export const sheet = () => document.getElementById("sheet");
export const desk = () => document.getElementById("desk");
export const numbers = (text) => text.split(" ").map(Number);
export const STEP = 10; // drawing units for one step of the grid

export function show(svg, box) {
  svg.setAttribute("viewBox", box.join(" "));
  sessionStorage.setItem(kept(svg), box.join(" "));
}

export function fit() {
  const svg = sheet();
  if (!svg) return;
  svg.setAttribute("viewBox", svg.dataset.fit);
  sessionStorage.removeItem(kept(svg));
}

export function zoom(factor, at) {
  const svg = sheet();
  if (!svg) return;
  const [x, y, w, h] = numbers(svg.getAttribute("viewBox"));
  const [, , fullW] = numbers(svg.dataset.fit);
  const newW = Math.min(Math.max(w * factor, fullW / 80), fullW * 4);
  const scale = newW / w;
  const [cx, cy] = at ?? [x + w / 2, y + h / 2];
  show(svg, [cx - (cx - x) * scale, cy - (cy - y) * scale, newW, h * scale]);
}

// A place to look at for the time being, unless the user has chosen one.
export function glance(box) {
  const svg = sheet();
  if (svg && !sessionStorage.getItem(kept(svg))) svg.setAttribute("viewBox", box ?? svg.dataset.fit);
}

export function pointIn(svg, event) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [p.x, p.y];
}

function restore(svg = sheet()) {
  const box = svg && sessionStorage.getItem(kept(svg));
  if (box) svg.setAttribute("viewBox", box);
}

let turned = 0; // of the wheel, since the last frame: a large sheet is drawn once for all of it
document.addEventListener("wheel", (event) => {
  const svg = event.target.closest?.("#sheet");
  if (!svg) return;
  event.preventDefault();
  if (!turned) {
    requestAnimationFrame(() => {
      zoom(Math.exp(turned * 0.0015), pointIn(svg, event));
      turned = 0;
    });
  }
  turned += event.deltaY;
}, { passive: false });

// before the sheet is put in place: what is looked at never stands elsewhere, not even for a moment
document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) restore(task.fragment?.querySelector?.("#sheet"));
});
document.addEventListener("htmx:after:swap", () => restore());
restore();
