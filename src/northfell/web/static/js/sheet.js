// The sheet: pan, zoom and fit. What is looked at stays as it was when the server sends the drawing anew.
const kept = (svg) => `sheet ${svg.dataset.key}`;
const sheet = () => document.getElementById("sheet");
const numbers = (text) => text.split(" ").map(Number);

function show(svg, box) {
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
  const newW = Math.min(Math.max(w * factor, fullW / 40), fullW * 4);
  const scale = newW / w;
  const [cx, cy] = at ?? [x + w / 2, y + h / 2];
  show(svg, [cx - (cx - x) * scale, cy - (cy - y) * scale, newW, h * scale]);
}

// A place to look at for the time being, unless the user has chosen one.
export function glance(box) {
  const svg = sheet();
  if (svg && !sessionStorage.getItem(kept(svg))) svg.setAttribute("viewBox", box ?? svg.dataset.fit);
}

function restore() {
  const svg = sheet();
  const box = svg && sessionStorage.getItem(kept(svg));
  if (box) svg.setAttribute("viewBox", box);
}

function pointIn(svg, event) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [p.x, p.y];
}

const STEP = 10; // drawing units for one step of the grid

// In the Network stage symbols move, unless the drawing is locked; everywhere else a drag pans.
const movable = () => document.getElementById("desk")?.dataset.stage === "network" && localStorage.getItem("drawing-locked") !== "yes";

function place(symbol, dx, dy) {
  const { project, view, version } = document.getElementById("desk").dataset;
  const url = `/projects/${project}/elements/${encodeURIComponent(symbol.dataset.element)}/move?${view}`;
  window.htmx.ajax("POST", url, { target: "#work", swap: "innerMorph", values: { dx, dy, version } });
}

function showLock() {
  document.querySelector('[data-do="lock"]')?.setAttribute("aria-pressed", localStorage.getItem("drawing-locked") === "yes");
}

export function lock() {
  localStorage.setItem("drawing-locked", movable() ? "yes" : "no");
  showLock();
}

let drag = null;
let moved = false;

document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("#sheet");
  if (!svg || event.button > 1) return;
  const symbol = movable() ? event.target.closest("a[data-element]") : null;
  drag = { svg, symbol, from: [event.clientX, event.clientY], box: numbers(svg.getAttribute("viewBox")), scale: svg.getScreenCTM().a };
  moved = false;
});

document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const [dx, dy] = [event.clientX - drag.from[0], event.clientY - drag.from[1]];
  if (!moved && Math.hypot(dx, dy) < 4) return;
  moved = true;
  drag.svg.classList.add("dragging");
  if (drag.symbol) {
    drag.by = [Math.round((dx / drag.scale / STEP) * 2) / 2, Math.round((dy / drag.scale / STEP) * 2) / 2];
    drag.symbol.setAttribute("transform", `translate(${drag.by[0] * STEP} ${drag.by[1] * STEP})`);
    return;
  }
  const [x, y, w, h] = drag.box;
  show(drag.svg, [x - dx / drag.scale, y - dy / drag.scale, w, h]);
});

document.addEventListener("pointerup", () => {
  drag?.svg.classList.remove("dragging");
  if (drag?.symbol && drag.by && (drag.by[0] || drag.by[1])) place(drag.symbol, ...drag.by);
  drag = null;
});

// a drag that ends on a symbol does not select it
document.addEventListener("click", (event) => {
  if (moved && event.target.closest?.("#sheet")) {
    event.preventDefault();
    event.stopImmediatePropagation();
  }
  moved = false;
}, true);

document.addEventListener("dragstart", (event) => event.target.closest?.("#sheet") && event.preventDefault());

document.addEventListener("wheel", (event) => {
  const svg = event.target.closest?.("#sheet");
  if (!svg) return;
  event.preventDefault();
  zoom(Math.exp(event.deltaY * 0.0015), pointIn(svg, event));
}, { passive: false });

document.addEventListener("htmx:after:swap", () => {
  restore();
  showLock();
});
restore();
showLock();
