import { here } from "./post.js";
import { all, arrange, heed, inSight, table, take, whenIdle } from "./rows.js";

// The ledger: sort by a column, filter by text, set its height, fold it. Numbers sort by what is shown, whatever their unit.
const remember = sessionStorage;
const place = () => table()?.parentElement.id ?? "";

const value = (row, column) => row.cells[column]?.dataset.sort ?? "";

function order(x, y) {
  const [nx, ny] = [Number(x), Number(y)];
  return x !== "" && y !== "" && !Number.isNaN(nx) && !Number.isNaN(ny) ? nx - ny : x.localeCompare(y, "en", { numeric: true });
}

function sorted(rows) {
  const [column, direction] = JSON.parse(remember.getItem(`sort ${place()}`) ?? "[-1]");
  if (column < 0) return rows;
  for (const head of table().tHead.rows[0].cells) {
    if (head.cellIndex === column) head.setAttribute("aria-sort", direction);
    else head.removeAttribute("aria-sort");
  }
  const turn = direction === "descending" ? -1 : 1;
  return [...rows].sort((a, b) => turn * order(value(a, column), value(b, column)));
}

function filtered(rows) {
  const wanted = (remember.getItem(`filter ${place()}`) ?? "").trim().toLowerCase(), verdicts = remember.getItem(`verdict ${place()}`) ?? "";
  const judged = verdicts ? rows.filter((row) => verdicts.includes(value(row, 0))) : rows;
  return wanted ? judged.filter((row) => row.textContent.toLowerCase().includes(wanted)) : judged;
}

function restore() {
  take();
  if (table()?.tHead) arrange(filtered(sorted(all())));
  const input = document.getElementById("filter-rows");
  if (input) input.value = remember.getItem(`filter ${place()}`) ?? "";
  const verdict = document.getElementById("verdict-rows");
  if (verdict) verdict.value = remember.getItem(`verdict ${place()}`) ?? "";
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
  restore();
}

document.addEventListener("click", head);
document.addEventListener("keydown", (event) => event.key === "Enter" && head(event));
document.addEventListener("input", (event) => {
  if (!event.target.matches?.("[data-filter]")) return;
  remember.setItem(`filter ${place()}`, event.target.value);
  restore();
});
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-verdict]")) return;
  remember.setItem(`verdict ${place()}`, event.target.value);
  restore();
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
// Where there is not room for all, the spare ones are left out, and told; which ones stand is a choice that is kept.
const root = document.documentElement;
const sheetOfColumns = new CSSStyleSheet();
document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheetOfColumns];
const CHARACTER = 8; // pixels
let laid = ""; // the table that was measured
let measured = []; // its heads
const known = (rows) => `${rows.id} ${rows.querySelector("thead").textContent} ${all().length}`;
const chosen = () => JSON.parse(localStorage.getItem(`columns ${place()}`) ?? "{}"); // by head: whether it stands; all others as there is room

const ofLong = () => all()[0]?.querySelector("td.long")?.cellIndex;

function measure(here) {
  root.classList.remove("laid");
  sheetOfColumns.replaceSync("");
  root.classList.add("measuring"); // the first rows, each column as narrow as what stands in it
  const heads = [...here.tHead.rows[0].cells].map((cell) => ({ told: cell.dataset.column ?? "", spare: cell.dataset.spare, width: Math.ceil(cell.getBoundingClientRect().width) }));
  const room = here.parentElement.clientWidth - 32;
  root.classList.remove("measuring", "early");
  const rows = all(), long = ofLong();
  if (rows.some((row) => !row.isConnected)) heads.forEach((head, n) => { if (n !== long) head.width += CHARACTER * longer(rows, n); });
  return [heads, room];
}

// By how many characters the longest text of a column is longer than the longest of the rows that stand in the page.
function longer(rows, n) {
  let [seen, all] = [0, 0];
  for (let k = 0; k < rows.length; k++) {
    const length = rows[k].cells[n]?.textContent.length ?? 0;
    if (rows[k].isConnected && length > seen) seen = length;
    if (length > all) all = length;
  }
  return all - seen;
}

function lay() {
  const here = table();
  if (!here?.tHead) return;
  if (known(here.parentElement) === laid) { tell(measured); return; }
  const [heads, room] = measure(here), choice = chosen();
  for (const head of heads) head.shown = choice[head.told] ?? true;
  const width = () => heads.reduce((sum, head) => sum + (head.shown ? head.width : 0), 0);
  const spare = heads.filter((head) => head.spare !== undefined && choice[head.told] === undefined).sort((a, b) => a.spare - b.spare);
  for (const head of spare) if (width() > room) head.shown = false;
  const shown = heads.filter((head) => head.shown), long = ofLong();
  const wide = heads[long]?.shown ? heads[long] : shown.at(-1), more = Math.min(Math.max(Math.floor((room - width()) / shown.length), 0), 28);
  const columns = shown.map((head) => (head === wide ? `minmax(${head.width}px, 1fr)` : `${head.width + (head.told ? more : 0)}px`)).join(" ");
  const hidden = heads.map((head, n) => (head.shown ? "" : `.rows > table :is(td, th):nth-child(${n + 1}) { display: none; }`)).join(" ");
  sheetOfColumns.replaceSync(`.rows { --columns: ${columns}; --least: ${width()}px; } ${hidden}`); // of the page, all of it would inherit them
  root.classList.add("laid");
  laid = known(here.parentElement);
  measured = heads;
  tell(heads, true);
}

function anew() {
  laid = "";
  lay();
}

function tell(heads, fresh = false) {
  const menu = document.getElementById("columns-menu");
  if (!menu || (!fresh && menu.querySelector("label"))) return;
  const left = heads.filter((head) => !head.shown).length;
  menu.hidden = heads.length < 5;
  menu.querySelector("[data-more]").textContent = left ? ` +${left}` : "";
  menu.title = left ? `${left} more, for which there is no room or which were put away` : "";
  menu.querySelector("div").replaceChildren(...heads.filter((head) => head.told).map((head) => {
    const label = document.createElement("label"), box = document.createElement("input");
    box.type = "checkbox";
    box.checked = head.shown;
    box.addEventListener("change", () => {
      localStorage.setItem(`columns ${place()}`, JSON.stringify({ ...chosen(), [head.told]: box.checked }));
      anew();
    });
    label.append(box, ` ${head.told}`);
    return label;
  }));
}

// A value that has outgrown its column is seen to once nothing else waits.
const outgrown = (fresh) => { if (fresh.some((row) => [...row.cells].some((cell) => cell.scrollWidth > cell.clientWidth + 1))) anew(); };

function shown() {
  restore();
  heed();
  lay();
  whenIdle(outgrown);
}
document.addEventListener("rows-entered", () => whenIdle(outgrown));
document.addEventListener("htmx:after:swap", shown);
window.addEventListener("resize", anew);
if (document.fonts?.status !== "loaded") document.fonts?.ready.then(anew);
shown();

// The table as a spreadsheet takes it: the rows in sight in their order, with every digit, which the server has.
document.addEventListener("click", async (event) => {
  const button = event.target.closest?.('[data-do="copy-table"]');
  if (!button || !table()) return;
  const shown = document.getElementById("desk").dataset;
  const answer = await fetch(here("/ledger.tsv"));
  if (!answer.ok || answer.headers.get("X-Version") !== shown.version) { button.textContent = "Not copied: try again"; return; }
  const [heads, ...lines] = (await answer.text()).split("\n");
  const rows = inSight().map((row) => lines[row.n]);
  await navigator.clipboard?.writeText([heads, ...rows].join("\n"));
  button.textContent = "Copied";
});
