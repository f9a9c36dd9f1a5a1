// The rows of the ledger: all of them in a list, and in the page those near what is seen of them, where they are many.
const [CHUNK, MANY, HEIGHT, NEAR] = [50, 200, 25, "800px"]; // rows of a body; rows that all stand in the page; pixels of a row, until they are known
const box = () => document.getElementById("ledger")?.querySelector(".rows"); // not the whole page: the sheet before it may be large
export const table = () => box()?.querySelector("table");

let rows = []; // in the order in which the server gave them
let shown = []; // of them, sorted and filtered
let bodies = []; // of the table, each for as many of those shown
let near = new Set(); // bodies whose rows stand in the page
let heeded = false; // whether any row asks the server for something by itself

export const all = () => rows;
export const inSight = () => shown;
const of = (body) => shown.slice(CHUNK * body.k, CHUNK * (body.k + 1));
const later = window.requestIdleCallback ?? ((work) => setTimeout(work, 200));

const watcher = () => new IntersectionObserver((seen) => {
  for (const { target, isIntersecting, boundingClientRect } of seen) {
    if (isIntersecting) enter(target);
    else if (shown.length > MANY && boundingClientRect.height && near.has(target) && !target.contains(document.activeElement)) leave(target, boundingClientRect.height);
  }
}, { root: box(), rootMargin: NEAR });
let watch = null;

function enter(body) {
  if (near.has(body)) return;
  near.add(body);
  fill(body);
  document.dispatchEvent(new Event("rows-entered"));
}

function leave(body, height) {
  near.delete(body);
  body.style.height = `${height}px`;
  body.replaceChildren();
}

function fill(body) {
  body.style.removeProperty("height");
  body.replaceChildren(...of(body));
  if (heeded) window.htmx.process(body);
}

// The table as the server sent it is taken over: its rows into the list, its bodies by new ones.
export function take() {
  const here = table();
  if (!here) { rows = shown = bodies = []; near.clear(); return; }
  if (bodies.length && here === bodies[0].parentElement) return;
  rows = shown = [...here.querySelectorAll(":scope > tbody > tr")];
  number();
  for (const body of here.querySelectorAll(":scope > tbody")) body.remove();
  watch?.disconnect();
  watch = watcher();
  [bodies, near] = [[], new Set()];
  arrange(rows);
}

function number() {
  rows.forEach((row, n) => { row.n = n; });
  heeded = rows.some((row) => row.querySelector("[hx-post]"));
}

// Which rows are shown, in this order.
export function arrange(list) {
  const here = table();
  if (!here) return;
  const same = list.length === shown.length && list.every((row, n) => row === shown[n]);
  if (same && bodies.length) return;
  shown = list;
  while (bodies.length * CHUNK < Math.max(list.length, 1)) {
    const body = document.createElement("tbody");
    body.setAttribute("hx-morph-skip-children", "");
    body.k = bodies.push(body) - 1;
    here.append(body);
    watch.observe(body);
  }
  for (const body of bodies.splice(Math.max(Math.ceil(list.length / CHUNK), 1))) {
    watch.unobserve(body);
    near.delete(body);
    body.remove();
  }
  for (const body of bodies) {
    if (list.length <= MANY || body.k < MANY / CHUNK) near.add(body);
    if (near.has(body)) fill(body);
    else body.style.height = `${HEIGHT * of(body).length}px`;
  }
}

// Rows that an answer brings: those that changed, or all. What the answer holds of the table then is what stands there, so that it is left alone.
export function put(sent) {
  const some = sent.querySelector(":scope > tbody[data-some]"), fresh = [...sent.querySelectorAll(":scope > tbody > tr")];
  if (some) for (const row of fresh) replace(row);
  else {
    rows = fresh;
    number();
    arrange(rows);
  }
  for (const body of sent.querySelectorAll(":scope > tbody")) body.remove();
  sent.append(...bodies.map((body) => body.cloneNode(false)));
}

function replace(row) {
  row.n = Number(row.dataset.n);
  row.removeAttribute("data-n");
  row.dataset.fresh = "";
  const before = rows[row.n], at = shown.indexOf(before);
  heeded ||= row.querySelector("[hx-post]") !== null;
  rows[row.n] = row;
  if (at < 0) return;
  shown[at] = row;
  if (!before.isConnected) return;
  const focused = before.contains(document.activeElement);
  before.replaceWith(row);
  if (focused) row.querySelector("a")?.focus({ preventScroll: true });
}

// Buttons of rows that an answer brought ask the server by themselves, once it is in place.
export function heed() {
  if (heeded) for (const body of near) window.htmx.process(body);
}

// Rows that changed and stand in the page, once nothing else waits.
export function whenIdle(work) {
  later(() => {
    const fresh = [...box()?.querySelectorAll("tr[data-fresh]") ?? []];
    for (const row of fresh) row.removeAttribute("data-fresh");
    if (fresh.length) work(fresh);
  });
}
