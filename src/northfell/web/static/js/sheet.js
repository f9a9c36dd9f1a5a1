// The sheet under the pointer: pan, move, connect, words, length of boards, rectangle, and the tray.
import { inRectangle, isPicked, pick, several, toggle } from "./pick.js";
import { post } from "./post.js";
import { desk, numbers, pointIn, sheet, show, STEP } from "./view.js";

const half = (units) => Math.round((units / STEP) * 2) / 2;
const locked = () => localStorage.getItem("drawing-locked") === "yes";
// In the Network stage symbols move, unless the drawing is locked; everywhere else a drag pans.
const movable = () => desk()?.dataset.stage === "network" && !locked();
const SVG = "http://www.w3.org/2000/svg";

export function lock() {
  localStorage.setItem("drawing-locked", locked() ? "no" : "yes");
  dress();
}

// --- handles of the selected symbol: its terminals, or the ends of a board

function handle(x, y, data, title) {
  const circle = document.createElementNS(SVG, "circle");
  circle.setAttribute("cx", x);
  circle.setAttribute("cy", y);
  circle.setAttribute("r", 5);
  circle.setAttribute("class", "handle");
  Object.assign(circle.dataset, data);
  const words = document.createElementNS(SVG, "title");
  words.textContent = title;
  circle.append(words);
  return circle;
}

function dress() {
  document.getElementById("lock")?.setAttribute("aria-pressed", locked());
  document.getElementById("handles")?.remove();
  const svg = sheet();
  const symbol = movable() && svg?.querySelector("a.el.selected");
  if (!symbol) return;
  const group = document.createElementNS(SVG, "g");
  group.id = "handles";
  const terminals = symbol.dataset.terminals?.split(" ").filter(Boolean) ?? [];
  terminals.forEach((at, k) => group.append(handle(...at.split(",").map(Number), { terminal: k }, "Drag to a bus or a wire to connect; to blank paper to take it off")));
  if (symbol.dataset.bar) {
    const [x, y, w] = symbol.dataset.bar.split(",").map(Number);
    group.append(handle(x, y, { end: "left" }, "Drag to change the length"), handle(x + w, y, { end: "right" }, "Drag to change the length"));
  }
  svg.append(group);
}

// --- gestures: what a drag begins on decides what it does

let drag = null;
let moved = false;

function begin(event) {
  const svg = event.target.closest?.("#sheet");
  if (!svg || event.button > 1) return null;
  const base = { svg, from: [event.clientX, event.clientY], at: pointIn(svg, event), scale: svg.getScreenCTM().a, box: numbers(svg.getAttribute("viewBox")) };
  if (event.target.dataset?.terminal !== undefined) return { ...base, kind: "connect", terminal: event.target.dataset.terminal };
  if (event.target.dataset?.end) return { ...base, kind: "resize", end: event.target.dataset.end };
  const symbol = event.target.closest("a.el[data-element]");
  if (event.shiftKey && !symbol) return { ...base, kind: "rectangle" };
  if (symbol && event.target.closest(".words") && !locked()) return { ...base, kind: "words", symbol };
  if (symbol && movable()) return { ...base, kind: "move", symbol, group: movedWith(symbol) };
  return { ...base, kind: "pan" };
}

function movedWith(symbol) {
  const id = symbol.dataset.element;
  if (!isPicked(id)) return [symbol];
  return [...sheet().querySelectorAll("a.el.picked")];
}

const LARGE = 500; // symbols, from which a pan shifts the picture as it stands and draws it anew at the end

const follow = {
  pan: (d, dx, dy) => {
    d.box2 = [d.box[0] - dx, d.box[1] - dy, d.box[2], d.box[3]];
    if (d.svg.childElementCount < LARGE) show(d.svg, d.box2);
    else d.svg.style.setProperty("transform", `translate3d(${dx * d.scale}px, ${dy * d.scale}px, 0)`);
  },
  move: (d, dx, dy) => {
    d.by = [half(dx), half(dy)];
    for (const symbol of d.group) symbol.setAttribute("transform", `translate(${d.by[0] * STEP} ${d.by[1] * STEP})`);
  },
  words: (d, dx, dy) => {
    d.by = [dx / STEP, dy / STEP];
    d.symbol.querySelector(".words").setAttribute("transform", `translate(${dx} ${dy})`);
  },
  connect: (d, dx, dy, event) => stroke(d, "rubber", [d.at, pointIn(d.svg, event)]),
  resize: (d, dx, dy, event) => {
    const [x, y, w] = d.svg.querySelector("a.el.selected").dataset.bar.split(",").map(Number);
    const px = pointIn(d.svg, event)[0];
    d.bar = d.end === "left" ? [Math.min(px, x + w - 20), x + w] : [x, Math.max(px, x + 20)];
    stroke(d, "rubber", [[d.bar[0], y], [d.bar[1], y]]);
  },
  rectangle: (d, dx, dy, event) => {
    const [x, y] = pointIn(d.svg, event);
    d.to = [x, y];
    const [a, b] = d.at;
    stroke(d, "frame", [[a, b], [x, b], [x, y], [a, y], [a, b]]);
  },
};

function stroke(d, cls, points) {
  let line = document.getElementById("rubber");
  if (!line) {
    line = document.createElementNS(SVG, "polyline");
    line.id = "rubber";
    d.svg.append(line);
  }
  line.setAttribute("class", cls);
  line.setAttribute("points", points.map((p) => p.join(",")).join(" "));
}

const finish = {
  pan: (d) => {
    d.svg.style.removeProperty("transform");
    if (d.box2) show(d.svg, d.box2);
  },
  move: (d) => {
    if (!d.by || (!d.by[0] && !d.by[1])) return;
    const ids = d.group.map((s) => s.dataset.element);
    if (ids.length === 1 && d.symbol.classList.contains("bus") && !d.symbol.dataset.bar) {
      const [x, y] = d.symbol.dataset.point.split(",").map(Number);
      post("/join", { bus: ids[0], x: x / STEP + d.by[0], y: y / STEP + d.by[1] });
    } else post("/sheet/move", { ids: JSON.stringify(ids), dx: d.by[0], dy: d.by[1] });
  },
  words: (d) => d.by && post("/sheet/words", { ids: JSON.stringify([d.symbol.dataset.element]), dx: d.by[0], dy: d.by[1] }),
  connect: (d, event) => {
    const [x, y] = pointIn(d.svg, event);
    post("/connect", { element: desk().dataset.element, terminal: d.terminal, x: x / STEP, y: y / STEP });
  },
  resize: (d) => d.bar && post("/sheet/resize", { ids: JSON.stringify([desk().dataset.element]), x: d.bar[0] / STEP, dx: (d.bar[1] - d.bar[0]) / STEP }),
  rectangle: (d) => d.to && pick(inRectangle(...d.at, ...d.to)),
};

document.addEventListener("pointerdown", (event) => {
  drag = begin(event);
  moved = false;
});

document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const [dx, dy] = [event.clientX - drag.from[0], event.clientY - drag.from[1]];
  if (!moved && Math.hypot(dx, dy) < 4) return;
  moved = true;
  drag.svg.classList.add("dragging");
  follow[drag.kind](drag, dx / drag.scale, dy / drag.scale, event);
});

// what is drawn on by hand is looked at as it was: it does not jump under the pointer
function stay(svg) {
  show(svg, numbers(svg.getAttribute("viewBox")));
}

document.addEventListener("pointerup", (event) => {
  document.getElementById("rubber")?.remove();
  drag?.svg.classList.remove("dragging");
  if (drag && moved && drag.kind !== "rectangle" && drag.kind !== "pan") stay(drag.svg);
  if (drag && moved) finish[drag.kind](drag, event);
  drag = null;
});

// a drag that ends on a symbol does not select it; shift and a click add to what is picked
document.addEventListener("click", (event) => {
  const symbol = event.target.closest?.("#sheet a.el");
  if (moved && event.target.closest?.("#sheet")) {
    event.preventDefault();
    event.stopImmediatePropagation();
  } else if (symbol && event.shiftKey) {
    event.preventDefault();
    event.stopImmediatePropagation();
    toggle(symbol.dataset.element);
  } else if (event.target.closest?.("#sheet") && several()) pick([]);
  moved = false;
}, true);

document.addEventListener("dragstart", (event) => event.target.closest?.("#sheet, #tray") && event.preventDefault());

// --- the tray: drag a symbol onto the sheet, or press Enter on it to put it in the middle

let carried = null;

document.addEventListener("pointerdown", (event) => {
  const item = event.target.closest?.("#tray [data-kind]");
  if (!item || event.button) return;
  event.preventDefault();
  carried = item.cloneNode(true);
  carried.classList.add("carried");
  carried.kind = item.dataset.kind;
  document.body.append(carried);
  carry(event);
});

function carry(event) {
  carried.style.setProperty("transform", `translate(${event.clientX - 24}px, ${event.clientY - 18}px)`);
}

document.addEventListener("pointermove", (event) => carried && carry(event));
document.addEventListener("pointerup", (event) => {
  if (!carried) return;
  const kind = carried.kind;
  carried.remove();
  carried = null;
  const under = document.elementFromPoint(event.clientX, event.clientY)?.closest("#sheet");
  if (under) put(kind, ...pointIn(under, event));
});
document.addEventListener("keydown", (event) => {
  const item = event.key === "Enter" && event.target.closest?.("#tray [data-kind]");
  if (!item) return;
  const [x, y, w, h] = numbers(sheet().getAttribute("viewBox"));
  put(item.dataset.kind, x + w / 2, y + h / 2);
});

function put(kind, x, y) {
  stay(sheet());
  post("/place", { kind, x: x / STEP, y: y / STEP });
}

document.addEventListener("htmx:after:swap", dress);
dress();
