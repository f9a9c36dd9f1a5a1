// The sheet of curves: settings are taken hold of and dragged, what they would make is drawn by the server while they are, and kept at the end.
// Elsewhere on the sheet a line is read: every device's time at the current under the hand.
import { tell } from "./notice.js";
import { post } from "./post.js";
import { go } from "./select.js";
import { numbers } from "./view.js";

const sheet = () => document.getElementById("curve-sheet");
const TIMES = [0.01, 1000];
let held = null; // the handle under the hand: what it sets, and where it began

function axes() {
  const [x, y, w, h, low, high] = numbers(sheet().dataset.axes);
  return { x, y, w, h, low, high };
}

function place(event) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(sheet().getScreenCTM().inverse());
  const a = axes();
  return { x: p.x, y: p.y, i: a.low * (a.high / a.low) ** ((p.x - a.x) / a.w), t: TIMES[1] * (TIMES[0] / TIMES[1]) ** ((p.y - a.y) / a.h) };
}

const decimals = (step) => (step > 0 && step < 1 ? Math.min(4, Math.max(0, Math.ceil(-Math.log10(step) - 1e-9))) : step ? (Number.isInteger(step) ? 0 : 2) : 3);

// what a device can really be set to
function snapped(handle, value) {
  const { step, choices } = handle;
  if (choices.length) return choices.reduce((best, one) => (Math.abs(Math.log(one / value)) < Math.abs(Math.log(best / value)) ? one : best));
  if (!step) return Number(value.toPrecision(3));
  return Number((Math.max(1, Math.round(value / step)) * step).toFixed(decimals(step) + 2));
}

function taken(circle) {
  const { element, field, axis, value, step, unit, choices, adds } = circle.dataset;
  return { element, field, axis, value: Number(value), step: Number(step), unit, adds: Number(adds), choices: choices ? numbers(choices) : [], label: circle.getAttribute("aria-label"), now: Number(value) };
}

// one question at a time, and the newest of those that came meanwhile
let asking = false, next = null;
async function attempt(handle) {
  next = handle;
  if (asking) return;
  asking = true;
  while (next) {
    const { element, field, now } = next;
    next = null;
    const query = new URLSearchParams({ element, field, value: now });
    const answer = await fetch(`${document.getElementById("curves").dataset.try}&${query}`, { headers: { "HX-Request": "true" } }).catch(() => null);
    if (!held) break;
    if (answer?.ok) show(await answer.text());
  }
  asking = false;
}

// Incident energy where the device clears, after the curves: asked for when the hand rests a moment.
let resting = 0, energiesOf = "";
function energies(handle) {
  clearTimeout(resting);
  resting = setTimeout(async () => {
    const list = document.getElementById("energies");
    if (!list) return;
    const asked = handle ? `${list.dataset.of}&${new URLSearchParams({ element: handle.element, field: handle.field, value: handle.now })}` : list.dataset.of;
    const answer = await fetch(asked, { headers: { "HX-Request": "true" } }).catch(() => null);
    const told = answer?.ok ? await answer.text() : "";
    if (document.getElementById("energies") === list && Boolean(handle) === Boolean(held)) list.innerHTML = told;
    arcs();
  }, handle ? 120 : 0);
}
// The arcing currents through the selected device, marked at the foot of the sheet once they are known.
function arcs() {
  const marks = document.getElementById("arc-marks"), factor = Number(sheet()?.dataset.factor);
  if (!marks || !factor) return;
  const a = axes();
  marks.replaceChildren(...[...document.querySelectorAll("#energies li[data-arcs]")].flatMap((row) => numbers(row.dataset.arcs.trim() || "0").filter((i) => i > 0).map((i) => {
    const x = a.x + (a.w * Math.log((i * factor) / a.low)) / Math.log(a.high / a.low), y = a.y + a.h;
    if (x < a.x || x > a.x + a.w) return "";
    const mark = svgOf("path", { class: "tc-arc", d: `M${x} ${y - 22}V${y - 8}M${x} ${y - 8}l-4 8h8z` });
    mark.append(Object.assign(svgOf("title", {}), { textContent: `Arc at ${row.dataset.bus}: ${(i / 1000).toPrecision(3)} kA through the device` }));
    return mark;
  }).filter(Boolean)));
}
function shown() {
  const list = document.getElementById("energies");
  arcs();
  if (!list || (list.dataset.at === energiesOf && list.children.length)) return;
  energiesOf = list.dataset.at;
  energies(null);
}
document.addEventListener("htmx:after:swap", shown);
shown();

// The drawing is put in place of that before; the handle under the hand stays the one that is held.
function show(text) {
  const fresh = new DOMParser().parseFromString(text, "text/html");
  const from = fresh.getElementById("curve-sheet");
  if (!from || !held) return;
  document.querySelector(".tc-gaps").replaceWith(fresh.querySelector(".tc-gaps"));
  const live = sheet();
  const keep = live.querySelector("circle.held");
  live.replaceChildren(...[document.getElementById("reading-line"), keep].filter(Boolean));
  const mine = from.querySelector(`circle[data-element="${CSS.escape(held.element)}"][data-field="${held.field}"]`);
  if (mine && keep) {
    for (const name of ["cx", "cy"]) keep.setAttribute(name, mine.getAttribute(name));
    mine.remove();
  }
  from.querySelector("#reading-line")?.remove();
  live.prepend(...from.children);
  live.dataset.axes = from.dataset.axes;
  arcs();
}

function say(event) {
  const box = document.getElementById("held"), around = document.getElementById("curves").getBoundingClientRect();
  box.hidden = !held;
  if (!held) return;
  box.replaceChildren(held.label, " ");
  box.append(Object.assign(document.createElement("strong"), { textContent: `${held.now.toFixed(decimals(held.step)).replace(/\.?0+$/, "") || "0"} ${held.unit}` }));
  const was = document.createElement("div");
  was.className = "quiet";
  was.textContent = `was ${held.value}${held.step ? `, steps of ${Number(held.step.toPrecision(4))}` : ""}`;
  box.append(was);
  box.style.left = `${Math.min(event.clientX - around.left + 14, around.width - 190)}px`;
  box.style.top = `${event.clientY - around.top + 14}px`;
}

document.addEventListener("pointerdown", (event) => {
  const circle = event.target.closest?.(".tc-handle");
  if (!circle || event.button) return;
  event.preventDefault();
  held = { ...taken(circle), from: place(event) };
  document.getElementById("reading-line")?.setAttribute("hidden", "");
  circle.classList.add("held");
  circle.focus({ preventScroll: true });
  say(event);
});

document.addEventListener("pointermove", (event) => {
  if (!held) { read(event); return; }
  const at = place(event);
  const share = held.axis === "x" ? at.i / held.from.i : Math.max(at.t - held.adds, 1e-3) / Math.max(held.from.t - held.adds, 1e-3);
  const now = snapped(held, held.value * share);
  if (now !== held.now) {
    held.now = now;
    attempt(held);
    energies(held);
  }
  say(event);
});

// Names on a kept sheet are put where one likes; twice clicked, they find room by themselves again.
let moving = null;
const nameOf = (event) => (sheet()?.hasAttribute("data-kept") ? event.target.closest?.("#curve-sheet .tc-name") : null);
const plateOf = (name) => name.previousElementSibling;
const inFrame = (value, length) => Math.min(Math.max(value / length, 0), 1);

document.addEventListener("pointerdown", (event) => {
  const name = nameOf(event);
  if (!name || event.button || held) return;
  event.preventDefault();
  moving = { name, from: place(event), by: [0, 0] };
});
document.addEventListener("pointermove", (event) => {
  if (!moving) return;
  const at = place(event);
  moving.by = [at.x - moving.from.x, at.y - moving.from.y];
  for (const part of [moving.name, plateOf(moving.name)]) part.setAttribute("transform", `translate(${moving.by.join(" ")})`);
});
document.addEventListener("pointerup", async () => {
  if (!moving) return;
  const { name, by } = moving, a = axes(), plate = plateOf(name);
  moving = null;
  if (Math.hypot(...by) < 2) return;
  const [x, y, w, h] = ["x", "y", "width", "height"].map((key) => Number(plate.getAttribute(key)));
  await post("/curves/kept/name", { device: name.closest("g").dataset.device, x: inFrame(x + by[0] - a.x, a.w - w), y: inFrame(y + by[1] - a.y, a.h - h) });
});
document.addEventListener("dblclick", async (event) => {
  const name = nameOf(event);
  if (name) await post("/curves/kept/name", { device: name.closest("g").dataset.device });
});

// what the page would look at by itself waits until the hand is off
document.addEventListener("htmx:before:swap", (event) => {
  if ((held || moving) && event.detail.ctx?.byItself) event.preventDefault();
}, true);

async function keep(handle) {
  if (handle.now === handle.value) return;
  const value = ["trip_tsd", "trip_tg"].includes(handle.field) ? handle.now.toFixed(1) : String(handle.now);
  await post(`/elements/${encodeURIComponent(handle.element)}/set/${handle.field}`, { value, origin: "own" });
}

function letGo() {
  held = null;
  next = null;
  sheet()?.querySelector("circle.held")?.classList.remove("held");
  document.getElementById("held").hidden = true;
  energiesOf = "";
}

document.addEventListener("pointerup", async () => {
  if (!held) return;
  const was = held;
  letGo();
  await keep(was);
});

document.addEventListener("keydown", async (event) => {
  if (event.key === "Escape" && held) { // what is given up goes back to what it was
    event.preventDefault();
    event.stopImmediatePropagation();
    letGo();
    go(window.location.pathname + window.location.search);
    return;
  }
  const circle = event.target.closest?.(".tc-handle");
  const toward = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
  if (!circle || !toward) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  const one = taken(circle);
  const at = one.choices.indexOf(one.value);
  one.now = one.choices.length ? one.choices[Math.min(Math.max(at + toward, 0), one.choices.length - 1)] : snapped(one, one.value + toward * (one.step || one.value / 50));
  if (one.now > 0) {
    again = [one.element, one.field];
    await keep(one);
  } else tell("There is no step further down.", true);
}, true);

// after a nudge the same handle has the keys again
let again = null;
document.addEventListener("htmx:after:swap", () => {
  if (!again) return;
  sheet()?.querySelector(`circle[data-element="${CSS.escape(again[0])}"][data-field="${again[1]}"]`)?.focus({ preventScroll: true });
  again = null;
});

// the time of each device at the current under the hand, from the edges as they are drawn
function read(event) {
  const svg = event.target.closest?.("#curve-sheet"), line = document.getElementById("reading-line");
  if (!line) return;
  line.toggleAttribute("hidden", !svg);
  if (!svg) return;
  const at = place(event), a = axes();
  const inside = at.x >= a.x && at.x <= a.x + a.w && at.y >= a.y && at.y <= a.y + a.h;
  line.toggleAttribute("hidden", !inside);
  if (!inside) return;
  const rows = [...svg.querySelectorAll("g.tc")].map((group) => {
    const times = [...group.querySelectorAll(".tc-edge")].map((edge) => height(edge, at.x)).filter((y) => y !== null).map((y) => TIMES[1] * (TIMES[0] / TIMES[1]) ** ((y - a.y) / a.h));
    return times.length ? [group.querySelector(".tc-name")?.textContent ?? "", times.map((t) => t.toPrecision(3)).join(" – ")] : null;
  }).filter(Boolean);
  const right = at.x > a.x + a.w * 0.6, w = 150, x = right ? at.x - w - 6 : at.x + 6, y = Math.min(at.y + 10, a.y + a.h - 22 - 13 * rows.length);
  const words = [["", `${at.i >= 1000 ? `${(at.i / 1000).toPrecision(3)} kA` : `${at.i.toPrecision(3)} A`}`], ...rows];
  line.replaceChildren(svgOf("line", { class: "tc-reading", x1: at.x, x2: at.x, y1: a.y, y2: a.y + a.h }), svgOf("rect", { class: "tc-read", x, y, width: w, height: 8 + 13 * words.length, rx: 3 }),
    ...words.flatMap(([name, times], n) => [text(name, x + 6, y + 14 + 13 * n, "start"), text(n ? `${times} s` : times, x + w - 6, y + 14 + 13 * n, "end")]));
}

const svgOf = (name, values) => {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(values)) made.setAttribute(key, value);
  return made;
};
const text = (words, x, y, anchor) => Object.assign(svgOf("text", { x, y, "font-size": 10, "text-anchor": anchor }), { textContent: words });

// where an edge stands above a place of the axis; where it is upright, its lower end
function height(edge, x) {
  const points = edge.points;
  if (points.length < 2 || x < points[0].x || x > points[points.length - 1].x + 0.5) return null;
  let low = 0, high = points.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (points[middle].x <= x) low = middle; else high = middle;
  }
  const [p, q] = [points[low], points[high]];
  return q.x - p.x < 1e-6 ? q.y : p.y + (q.y - p.y) * Math.min(1, (x - p.x) / (q.x - p.x));
}
