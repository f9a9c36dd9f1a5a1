import { here } from "./post.js";

// The ledger: sort by a column, filter by text, set its height, fold it. Numbers sort by what is shown, whatever their unit.
const remember = sessionStorage;
const rowsBox = () => document.getElementById("ledger")?.querySelector(".rows"); // not the whole page: the sheet before it may be large
const table = () => rowsBox()?.querySelector("table");
const place = () => rowsBox()?.id ?? "";

function sortBy(column, direction) {
  const body = table()?.tBodies[0];
  if (!body) return;
  const value = (row) => row.cells[column]?.dataset.sort ?? "";
  const rows = [...body.rows].sort((a, b) => {
    const [x, y] = [value(a), value(b)];
    const [nx, ny] = [Number(x), Number(y)];
    const order = x !== "" && y !== "" && !Number.isNaN(nx) && !Number.isNaN(ny) ? nx - ny : x.localeCompare(y, "en", { numeric: true });
    return direction === "descending" ? -order : order;
  });
  body.append(...rows);
  for (const head of table().tHead.rows[0].cells) head.removeAttribute("aria-sort");
  table().tHead.rows[0].cells[column].setAttribute("aria-sort", direction);
}

let filtered = false;
function filter(text) {
  const wanted = text.trim().toLowerCase();
  if (!wanted && !filtered) return;
  filtered = wanted !== "";
  for (const row of table()?.tBodies[0].rows ?? []) row.hidden = wanted !== "" && !row.textContent.toLowerCase().includes(wanted);
}

function restore() {
  const sorted = remember.getItem(`sort ${place()}`);
  if (sorted) sortBy(...JSON.parse(sorted));
  const input = document.getElementById("filter-rows");
  if (input) {
    input.value = remember.getItem(`filter ${place()}`) ?? "";
    filter(input.value);
  }
}

// Height and folds are this window's: put on the desk before it is shown, so that an answer changes nothing about them.
function fold(desk) {
  const height = localStorage.getItem("ledger");
  if (height) desk?.style.setProperty("--ledger", `${height}px`);
  desk?.classList.toggle("no-ledger", localStorage.getItem("ledger-folded") === "yes");
  desk?.classList.toggle("no-card", localStorage.getItem("card-folded") === "yes");
}
document.addEventListener("htmx:before:swap", (event) => {
  for (const task of event.detail.tasks ?? []) fold(task.fragment?.querySelector?.("#desk"));
});
fold(document.getElementById("desk"));

function head(event) {
  const cell = event.target.closest?.(".rows th");
  if (!cell) return;
  const direction = cell.getAttribute("aria-sort") === "descending" ? "ascending" : cell.getAttribute("aria-sort") === "ascending" ? "descending" : cell.classList.contains("num") ? "descending" : "ascending";
  remember.setItem(`sort ${place()}`, JSON.stringify([cell.cellIndex, direction]));
  sortBy(cell.cellIndex, direction);
}

document.addEventListener("click", head);
document.addEventListener("keydown", (event) => event.key === "Enter" && head(event));
document.addEventListener("input", (event) => {
  if (!event.target.matches?.("[data-filter]")) return;
  remember.setItem(`filter ${place()}`, event.target.value);
  filter(event.target.value);
});
let grip = false;
document.addEventListener("pointerdown", (event) => { grip = Boolean(event.target.closest?.(".grip")); });
document.addEventListener("pointermove", (event) => {
  if (!grip) return;
  const height = Math.round(Math.min(Math.max(window.innerHeight - event.clientY, 60), window.innerHeight - 160));
  localStorage.setItem("ledger", height);
  document.getElementById("desk").style.setProperty("--ledger", `${height}px`);
});
document.addEventListener("pointerup", () => { grip = false; });

// Columns keep the widths that the table gave them: what it would do anew for every row that changes, for all of thousands.
// Both stand at the root of the page, which no answer touches.
const root = document.documentElement;
let laid = ""; // the table that was measured
const known = (rows) => `${rows.id} ${rows.querySelector("thead").textContent} ${rows.querySelector("tbody").rows.length}`;

function lay() {
  const here = table();
  if (!here?.tHead || known(here.parentElement) === laid) return;
  root.classList.remove("laid");
  const widths = [...here.tHead.rows[0].cells].map((cell) => Math.ceil(cell.getBoundingClientRect().width));
  const last = widths.pop();
  root.style.setProperty("--columns", `${widths.map((w) => `${w}px`).join(" ")} minmax(${last}px, 1fr)`);
  root.classList.add("laid");
  laid = known(here.parentElement);
}

function anew() {
  laid = "";
  lay();
}

// A value that has outgrown its column is seen to once nothing else waits.
function outgrown() {
  const rows = [...table()?.tBodies[0].rows ?? []].filter((row) => row.dataset.fresh !== undefined);
  const wide = rows.some((row) => [...row.cells].some((cell) => cell.scrollWidth > cell.clientWidth + 1));
  for (const row of rows) row.removeAttribute("data-fresh");
  if (wide) anew();
}
const later = window.requestIdleCallback ?? ((work) => setTimeout(work, 200));

function shown() {
  restore();
  lay();
  later(outgrown);
}
document.addEventListener("htmx:after:swap", shown);
window.addEventListener("resize", anew);
document.fonts?.ready.then(anew);
shown();

// The table as a spreadsheet takes it: the rows in sight in their order, with every digit, which the server has.
document.addEventListener("click", async (event) => {
  const button = event.target.closest?.('[data-do="copy-table"]');
  if (!button || !table()) return;
  const shown = document.getElementById("desk").dataset;
  const answer = await fetch(here("/ledger.tsv"));
  if (!answer.ok || answer.headers.get("X-Version") !== shown.version) { button.textContent = "Not copied: try again"; return; }
  const [heads, ...lines] = (await answer.text()).split("\n");
  const rows = [...table().tBodies[0].rows].filter((row) => !row.hidden).map((row) => lines[row.n]);
  await navigator.clipboard?.writeText([heads, ...rows].join("\n"));
  button.textContent = "Copied";
});
