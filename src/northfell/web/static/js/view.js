// What is looked at of the sheet: pan, zoom and fit. It stays as it was when the server sends the drawing anew.
const kept = (svg) => `sheet ${svg.dataset.key}`;
export const sheet = () => document.getElementById("sheet");
export const desk = () => document.getElementById("desk");
export const numbers = (text) => text.split(" ").map(Number);
export const STEP = 10; // drawing units for one step of the grid

export function show(svg, box) {
  svg.setAttribute("viewBox", box.join(" "));
  sessionStorage.setItem(kept(svg), box.join(" "));
  dress(svg);
}

// From afar words would be too small to read: a board then shows its name, voltage and verdict as large as one reads, all else its mark.
// What does not fit its board is left out. Near by everything is drawn.
const NEAREST = 0.52, NAME = 14, READ = 11.5; // scale from which all words are drawn; units of a name; pixels at which it is read from afar
// said of what is written larger alone: of the sheet, each of its tens of thousands of parts would inherit it
const LARGER = ".far :is(.bus, .selected) > .words, .far .el > .words > .wedge", larger = new CSSStyleSheet();
document.adoptedStyleSheets = [...document.adoptedStyleSheets, larger];
let size = [0, 0]; // of the sheet's place, in pixels: known without asking the page for it
let far = 1;
let dressed = null; // the sheet whose boards stand as `far` has it
let chosen = ""; // what was selected then: its words take their room
let arrived = []; // symbols put on it since; null for all

export function arrive(symbols) {
  arrived = symbols && arrived ? [...arrived, ...symbols] : null;
}

function dress(svg = sheet()) {
  if (!svg || !size[0]) return;
  const [, , w, h] = numbers(svg.getAttribute("viewBox"));
  const scale = Math.min(size[0] / w, size[1] / h), up = scale < NEAREST ? READ / (NAME * scale) : 1;
  svg.classList.toggle("far", up !== 1);
  const fresh = svg === dressed && up === far && chosen === desk()?.dataset.element ? arrived : null;
  [dressed, arrived, chosen] = [svg, [], desk()?.dataset.element];
  if (up !== far && up !== 1) larger.replaceSync(`${LARGER} { --up: ${up.toFixed(3)}; }`);
  far = up;
  if (up === 1) return;
  const boards = [...fresh ?? svg.children].filter((symbol) => symbol.matches("a.el.bus[data-bar]"));
  if (!fresh) crowd(boards, svg.querySelector(":scope > a.el.selected:not(.bus)"), up); // words that would stand on each other are left out but for those of the longest board
  for (const board of boards) fitted(board, up);
}

// The length of words as they are written near by, from where they begin; measured beside the page, which need not be laid out for it.
const pen = document.createElement("canvas").getContext("2d"), lengths = new Map();
const reach = (text, start) => Number(text.getAttribute("x")) + written(text.textContent, Number(text.getAttribute("font-size") ?? NAME), text.classList.contains("m")) - start;

function written(words, size, mono) {
  if (mono) return 0.62 * size * words.length;
  const key = `${size} ${words}`;
  if (!lengths.has(key)) {
    pen.font = `700 ${size}px ${getComputedStyle(document.body).fontFamily}`;
    lengths.set(key, 1.04 * pen.measureText(words).width); // a little more, as long as the letters are still on their way
  }
  return lengths.get(key);
}

const length = (board) => Number(board.dataset.bar.split(",")[2]);
let rooms = new Map(); // by board: how far its words may reach, 0 where they would stand on those of a longer one

function crowd(boards, selected, up) {
  const rows = new Map();
  const occupy = (x, y, right) => {
    const row = Math.floor(y / (NAME * up));
    rows.set(row, [...rows.get(row) ?? [], { x, y, right }]);
  };
  rooms = new Map();
  const words = [...selected?.querySelectorAll(".words > text") ?? []];
  const [left, bottom] = [Math.min(...words.map((text) => Number(text.getAttribute("x")))), Math.max(...words.map((text) => Number(text.getAttribute("y"))))];
  for (const text of words) { // written larger about their lower left corner
    const x = left + up * (Number(text.getAttribute("x")) - left), wide = up * reach(text, Number(text.getAttribute("x")));
    const from = text.getAttribute("text-anchor") === "middle" ? x - wide / 2 : x;
    occupy(from, bottom - up * (bottom - Number(text.getAttribute("y"))), from + wide + 22 * up); // a mark may stand behind
  }
  for (const board of boards.sort((a, b) => b.classList.contains("selected") - a.classList.contains("selected") || length(b) - length(a))) {
    const texts = [...board.querySelectorAll(".words text")];
    if (!texts.length) continue;
    const [x, y] = ["x", "y"].map((at) => Number(texts[0].getAttribute(at))), row = Math.floor(y / (NAME * up));
    const beside = [row - 1, row, row + 1].flatMap((n) => rows.get(n) ?? []).filter((one) => Math.abs(y - one.y) < NAME * up);
    const room = beside.some((one) => one.x <= x && x < one.right) ? 0 : Math.min(length(board) + 12, ...beside.filter((one) => one.x > x).map((one) => one.x - x - 4 * up));
    rooms.set(board.dataset.element, room);
    const fits = texts.map((text) => up * reach(text, x)).filter((end) => end <= room);
    if (fits.length) occupy(x, y, x + Math.max(...fits) + 8 * up);
  }
}

function fitted(board, up) {
  const words = board.querySelector(".words"), texts = [...words?.querySelectorAll("text") ?? []];
  if (!texts.length) return;
  const room = board.classList.contains("selected") ? length(board) + 12 : rooms.get(board.dataset.element) ?? 0, start = Number(texts[0].getAttribute("x"));
  const fits = texts.map((text) => reach(text, start) * up <= room);
  texts.forEach((text, n) => text.classList.toggle("left-out", !fits[n] || !fits[Math.min(n + (n % 2), texts.length - 1)])); // a value stays with its unit
  const mark = words.querySelector(".wedge"), last = texts.findLastIndex((text) => !text.classList.contains("left-out"));
  if (mark) mark.style.setProperty("--back", `${last < 0 ? 0 : Math.min(0, reach(texts[last], start) + start + 6 - Number(mark.getAttribute("points").split(/[ ,]/)[0]))}px`);
}

export function fit() {
  const svg = sheet();
  if (!svg) return;
  svg.setAttribute("viewBox", svg.dataset.fit);
  sessionStorage.removeItem(kept(svg));
  dress(svg);
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
  if (!svg || sessionStorage.getItem(kept(svg))) return;
  svg.setAttribute("viewBox", box ?? svg.dataset.fit);
  dress(svg);
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

// before the sheet is put in place: what is looked at never stands elsewhere, not even for a moment, and is not styled twice
document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) {
    const fresh = task.fragment?.querySelector?.("#sheet");
    if (!fresh) continue;
    restore(fresh);
    fresh.classList.toggle("far", far !== 1);
  }
});
document.addEventListener("htmx:after:swap", () => {
  restore();
  dress();
});
restore();
const place = new ResizeObserver(([seen]) => {
  size = [seen.contentRect.width, seen.contentRect.height];
  dress();
});
if (sheet()) place.observe(sheet());
