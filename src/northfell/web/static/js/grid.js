// A table that is edited in place. Only the rows in sight are drawn, so that thousands sort and scroll at once. What is typed is
// read by the server; a cell that it refuses keeps what was typed, with the reason.
const ROW = 27;
const HEAD = 64;
const MANY = 12; // pasted rows from which ways are kept inside the symbol, unless one says otherwise
const BLANKS = 8; // rows below the last for new ways
const grid = document.getElementById("grid");
const said = document.getElementById("grid-said");
const state = { columns: [], rows: [], view: [], version: 0, at: [0, 0], from: [0, 0], errors: new Map(), pending: new Map(), sort: null, filters: {}, lists: {} };
const escape = (text) => text.replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]);
const key = (id, column) => `${id}\u0000${column}`;

// --- talking to the server

async function send(path, body) {
  const answer = await fetch(`${grid.dataset.base}${path}`, {
    method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ version: state.version, ...body }),
  }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  if (!told) {
    tell(["The application did not answer. What you typed is still here; try again."], true);
    return null;
  }
  if (told.stale) {
    await load();
    tell([...told.messages, "The table was loaded anew; enter it again."], true);
    return null;
  }
  if (!answer.ok) {
    tell(told.messages ?? told.detail?.map?.((d) => d.msg) ?? ["It was refused."], true);
    return null;
  }
  return told;
}

async function load() {
  const data = await (await fetch(`${grid.dataset.base}/data`)).json();
  take(data);
}

function take(data) {
  state.version = data.version;
  state.columns = data.columns;
  state.lists = data.lists;
  state.rows = data.rows;
  measure();
  arrange();
}

function kept(told) {
  state.version = told.version;
  if (told.columns) take(told);
  else if (told.rows) {
    const at = new Map(state.rows.map((row, n) => [row.id, n]));
    for (const row of told.rows) {
      if (at.has(row.id)) state.rows[at.get(row.id)] = row;
      else state.rows.push(row);
    }
    arrange(true);
  }
  const lines = [...told.messages];
  for (const cell of told.cells) {
    const id = told.made?.[cell.id] ?? cell.id;
    state.errors.set(key(id, cell.key), { text: cell.text, why: cell.why });
  }
  if (told.cells.length > 1) lines.push(`${told.cells.length} cells were refused: they keep what was typed, marked; the reason stands here when one is chosen.`);
  else for (const cell of told.cells) lines.push(`1 cell was refused: it keeps “${cell.text}”, marked. ${cell.why}`);
  if (told.done) lines.unshift(`${told.done}.`);
  tell(lines, told.cells.length > 0);
  draw();
}

function tell(lines, alarm = false) {
  said.classList.toggle("alarm", alarm);
  said.replaceChildren(...lines.map((line) => Object.assign(document.createElement("p"), { textContent: line })));
}

// --- rows in sight

function measure() {
  let x = 0;
  for (const c of state.columns) {
    const n = state.columns.indexOf(c);
    const longest = state.rows.slice(0, 300).reduce((most, row) => Math.max(most, row.cells[n].length), Math.min(c.label.length, 16));
    c.width = Math.min(Math.max(longest * 7.4 + 22, Math.min(c.label.length, 14) * 7 + c.unit.length * 6.5 + 18, 62), 260);
    c.x = x;
    x += c.width;
  }
  state.width = x;
}

const gauge = (text) => { // wire sizes sort by their cross-section
  const match = /^(\d+)(\/0)? (AWG|kcmil)$/.exec(text);
  if (!match) return null;
  if (match[3] === "kcmil") return Number(match[1]) * 0.5067;
  const n = match[2] ? 1 - Number(match[1]) : Number(match[1]);
  return 0.012668 * 92 ** ((36 - n) / 19.5);
};
const number = (text) => {
  if (text.endsWith("AWG") || text.endsWith("kcmil")) return gauge(text);
  const value = Number(text.replace(/[\u2009\s]/g, "").replace(",", ".").replace("\u2212", "-"));
  return text.trim() === "" || Number.isNaN(value) ? null : value;
};

function passes(text, wanted, numeric) {
  const match = /^\s*(<=|>=|<|>|=)\s*(.+)$/.exec(wanted);
  if (match && numeric) {
    const [a, b] = [number(text), number(match[2])];
    if (a === null || b === null) return false;
    return { "<": a < b, ">": a > b, "<=": a <= b, ">=": a >= b, "=": a === b }[match[1]];
  }
  if (match?.[1] === "=") return text === match[2].trim();
  return text.toLowerCase().includes(wanted.trim().toLowerCase());
}

function arrange(stay = false) {
  const wanted = Object.entries(state.filters).filter(([, text]) => text.trim());
  const order = state.view.filter((row) => row.id).map((row) => row.id);
  let rows = state.rows.filter((row) => wanted.every(([n, text]) => passes(row.cells[n], text, state.columns[n].number)));
  if (stay) { // an edited row does not jump away under the hand
    const place = new Map(order.map((id, n) => [id, n]));
    rows = [...state.rows.filter((row) => place.has(row.id)).sort((a, b) => place.get(a.id) - place.get(b.id)), ...rows.filter((row) => !place.has(row.id))];
  } else if (state.sort) {
    const [n, down] = state.sort;
    const keyed = rows.map((row) => [state.columns[n].number ? number(row.cells[n]) ?? Number.NEGATIVE_INFINITY : row.cells[n].toLowerCase(), row]);
    const numeric = state.columns[n].number;
    const compare = new Intl.Collator(undefined, { numeric: true }).compare;
    keyed.sort(([a], [b]) => (numeric ? a - b : compare(a, b)) * (down ? -1 : 1));
    rows = keyed.map(([, row]) => row);
  }
  state.view = rows;
  if ("new" in grid.dataset) {
    for (let n = 0; n < BLANKS; n += 1) rows.push({ id: "", blank: `new ${n}`, cells: state.columns.map((c) => state.pending.get(key(`new ${n}`, c.key)) ?? ""), marks: "" });
  }
  clamp();
  skeleton();
  draw();
}

function clamp() {
  const [rows, columns] = [Math.max(state.view.length - 1, 0), Math.max(state.columns.length - 1, 0)];
  for (const place of [state.at, state.from]) {
    place[0] = Math.min(Math.max(place[0], 0), rows);
    place[1] = Math.min(Math.max(place[1], 0), columns);
  }
}

let canvas, head, body;
function skeleton() {
  grid.setAttribute("aria-rowcount", state.view.length);
  grid.setAttribute("aria-colcount", state.columns.length);
  if (!canvas) {
    canvas = document.createElement("div");
    head = document.createElement("div");
    body = document.createElement("div");
    canvas.className = "grid-canvas";
    head.className = "grid-head";
    head.setAttribute("role", "row");
    canvas.append(head, body);
    grid.replaceChildren(canvas);
  }
  canvas.style.width = `${state.width}px`;
  canvas.style.setProperty("--columns", state.columns.map((c) => `${c.width}px`).join(" "));
  canvas.style.height = `${HEAD + state.view.length * ROW + 4}px`;
  const names = state.columns.map((c) => c.key).join();
  if (head.dataset.names !== names) {
    head.dataset.names = names;
    head.replaceChildren(...state.columns.map((c, n) => {
      const cell = document.createElement("div");
      cell.className = "grid-name";
      cell.setAttribute("role", "columnheader");
      cell.title = c.meaning;
      const button = Object.assign(document.createElement("button"), { type: "button", textContent: c.label });
      button.dataset.sort = n;
      const unit = Object.assign(document.createElement("span"), { className: "unit", textContent: c.unit });
      const filter = Object.assign(document.createElement("input"), { placeholder: "filter", autocomplete: "off" });
      filter.dataset.filter = n;
      filter.setAttribute("aria-label", `Filter ${c.label}`);
      cell.append(button, unit, filter);
      return cell;
    }));
  }
  [...head.children].forEach((cell, n) => {
    const sorted = state.sort?.[0] === n ? (state.sort[1] ? "descending" : "ascending") : "none";
    cell.setAttribute("aria-sort", sorted);
  });
}

const idOf = (row) => row.id || row.blank;
const textOf = (row, n) => state.errors.get(key(idOf(row), state.columns[n].key))?.text ?? row.cells[n];

function box() {
  const [[r, c], [r2, c2]] = [state.at, state.from];
  return [Math.min(r, r2), Math.min(c, c2), Math.max(r, r2), Math.max(c, c2)];
}

let asked = 0;
function draw() {
  if (!asked) asked = requestAnimationFrame(() => { asked = 0; paint(); });
}

function paint() {
  if (!body) return;
  const first = Math.max(Math.floor(grid.scrollTop / ROW) - 4, 0);
  const last = Math.min(first + Math.ceil(grid.clientHeight / ROW) + 8, state.view.length);
  const [r1, c1, r2, c2] = box();
  const made = [];
  for (let r = first; r < last; r += 1) {
    const row = state.view[r];
    const cells = state.columns.map((c, n) => {
      const error = state.errors.get(key(idOf(row), c.key));
      const mark = row.marks[n] ?? " ";
      const classes = ["grid-cell", c.number ? "num" : "", error ? "refused" : "", mark === "!" ? "lacking" : "", mark === "-" ? "idle" : "",
        r >= r1 && r <= r2 && n >= c1 && n <= c2 ? "in" : "", r === state.at[0] && n === state.at[1] ? "at" : ""];
      const text = textOf(row, n);
      const shown = mark === "~" && text && !error ? `${text}~` : mark === "!" && !text ? "○" : text;
      return `<div role="gridcell" class="${classes.filter(Boolean).join(" ")}" data-c="${n}"${error ? ' aria-invalid="true"' : ""}>${escape(shown)}</div>`;
    });
    made.push(`<div class="grid-row${row.locked ? " locked" : ""}${row.id ? "" : " blank"}" role="row" aria-rowindex="${r + 1}" data-r="${r}">${cells.join("")}</div>`);
  }
  body.innerHTML = made.join("");
  body.style.transform = `translateY(${first * ROW}px)`;
}

function reveal() {
  const [r, c] = state.at;
  const [top, left] = [r * ROW, state.columns[c]?.x ?? 0];
  if (top < grid.scrollTop) grid.scrollTop = top;
  if (top + ROW + HEAD > grid.scrollTop + grid.clientHeight - 14) grid.scrollTop = top + ROW + HEAD - grid.clientHeight + 14;
  if (left < grid.scrollLeft) grid.scrollLeft = left;
  const right = left + (state.columns[c]?.width ?? 0);
  if (right > grid.scrollLeft + grid.clientWidth) grid.scrollLeft = right - grid.clientWidth;
}

// --- choosing and editing

function choose(r, c, extend = false) {
  const left = state.view[state.at[0]];
  state.at = [r, c];
  if (!extend) state.from = [r, c];
  clamp();
  const now = state.view[state.at[0]];
  const error = now && state.errors.get(key(idOf(now), state.columns[state.at[1]].key));
  if (error) tell([`“${error.text}” was refused. ${error.why}`], true);
  reveal();
  draw();
  if (left && !left.id && now !== left) begun(left);
}

let editor = null;
function edit(text) {
  if (editor || !state.view.length) return;
  const [r, n] = state.at;
  const [row, c] = [state.view[r], state.columns[n]];
  const input = document.createElement("input");
  input.className = "grid-editor";
  input.value = text ?? textOf(row, n);
  input.setAttribute("aria-label", `${c.label} of ${row.cells[0]}`);
  const options = c.choices.length ? c.choices : c.list.flatMap((kind) => state.lists[kind] ?? []);
  if (options.length) {
    const list = document.createElement("datalist");
    list.id = "grid-options";
    list.replaceChildren(...options.map((value) => Object.assign(document.createElement("option"), { value })));
    document.getElementById("grid-options")?.remove();
    document.body.append(list);
    input.setAttribute("list", list.id);
  }
  Object.assign(input.style, { left: `${c.x}px`, top: `${HEAD + r * ROW}px`, width: `${Math.max(c.width, 90)}px`, height: `${ROW}px` });
  canvas.append(input);
  editor = { input, row, n, before: textOf(row, n) };
  input.focus();
  if (text === undefined) input.select();
}

function close(keep) {
  if (!editor) return;
  const { input, row, n, before } = editor;
  editor = null;
  const text = input.value;
  input.remove();
  grid.focus({ preventScroll: true });
  if (keep && text !== before) set([[row, n, text]]);
  else draw();
}

async function set(cells) {
  const standing = cells.filter(([row]) => row.id);
  for (const [row, n, text] of cells.filter(([one]) => !one.id)) {
    row.cells[n] = text;
    state.pending.set(key(row.blank, state.columns[n].key), text);
    state.errors.delete(key(row.blank, state.columns[n].key));
  }
  draw();
  if (!standing.length) return;
  for (const [row, n, text] of standing) {
    state.errors.delete(key(row.id, state.columns[n].key));
    row.cells[n] = text;
  }
  draw();
  const told = await send("/cells", { cells: standing.map(([row, n, text]) => [row.id, state.columns[n].key, text]) });
  if (told) kept(told);
  else await load();
}

// a new row that was typed becomes a way when one leaves it
async function begun(row) {
  if (!row.cells.some((text) => text.trim())) return;
  const texts = row.cells.map((text) => text.replace(/[\t\n\r]/g, " "));
  for (const c of state.columns) {
    state.pending.delete(key(row.blank, c.key));
    state.errors.delete(key(row.blank, c.key));
  }
  await paste(texts.join("\t"), [], state.columns.map((c) => c.key), row);
}

async function paste(text, rows, columns, blank = null) {
  const boards = [...document.querySelectorAll("[data-also]:checked")].map((box_) => box_.value);
  const inside = document.getElementById("inside");
  if (inside && !inside.dataset.chosen && text.split("\n").length > MANY) inside.checked = true; // so that the sheet stays readable
  const told = await send("/paste", { text, rows, columns, boards, inside: inside?.checked ?? false });
  if (!told) return;
  if (blank || told.made) { // rows that became no way stay where they were typed
    let free = 0;
    const unmade = [...new Set(told.cells.filter((cell) => !(told.made ?? {})[cell.id] && /^\d+$/.test(cell.id)).map((cell) => cell.id))];
    const lines = text.split("\n");
    const headed = lines.length > Object.keys(told.made ?? {}).length + unmade.length ? 1 : 0;
    for (const id of unmade) {
      const place = blank?.blank ?? `new ${free++}`;
      lines[Number(id) + headed]?.split("\t").forEach((cell, n) => columns[n] && !headed && state.pending.set(key(place, columns[n]), cell.trim()));
      for (const cell of told.cells) if (cell.id === id) cell.id = place;
    }
  }
  kept(told);
}

function fillDown() {
  const [r1, c1, r2, c2] = box();
  const cells = [];
  for (let n = c1; n <= c2; n += 1) for (let r = r1 + 1; r <= r2; r += 1) cells.push([state.view[r], n, textOf(state.view[r1], n)]);
  if (cells.length) set(cells);
  else tell(["Choose the cell to copy and those below it, with Shift and the arrow keys, then fill down."]);
}

function copied() {
  const [r1, c1, r2, c2] = box();
  const lines = [];
  if (c1 === 0 && c2 === state.columns.length - 1) lines.push(state.columns.map((c) => (c.unit ? `${c.label} [${c.unit}]` : c.label)).join("\t"));
  for (let r = r1; r <= r2; r += 1) lines.push(state.columns.slice(c1, c2 + 1).map((_, n) => state.view[r].cells[n + c1]).join("\t"));
  return lines.join("\n");
}

async function undo() {
  const body = new FormData();
  body.set("version", state.version);
  const answer = await fetch(`/projects/${grid.dataset.project}/undo?stage=network`, { method: "POST", body }).catch(() => null);
  const before = state.version;
  if (answer?.ok) state.errors.clear();
  if (answer) await load();
  if (answer?.ok) tell([state.version === before ? "There is nothing to undo." : "The newest change was taken back."]);
  else if (answer?.status === 409) tell(["The project has been changed since this table was shown. The table shows it now; undo takes back the newest of its changes."], true);
  else tell(["Nothing was taken back: the server did not answer as it should. What you typed is kept; try again."], true);
}

grid.addEventListener("scroll", draw, { passive: true });
grid.addEventListener("pointerdown", (event) => {
  const cell = event.target.closest(".grid-cell");
  if (!cell || event.button) return;
  close(true);
  choose(Number(cell.parentElement.dataset.r), Number(cell.dataset.c), event.shiftKey);
  const drag = (move) => {
    const over = document.elementFromPoint(move.clientX, move.clientY)?.closest(".grid-cell");
    if (over) {
      state.at = [Number(over.parentElement.dataset.r), Number(over.dataset.c)];
      draw();
    }
  };
  document.addEventListener("pointermove", drag);
  document.addEventListener("pointerup", () => document.removeEventListener("pointermove", drag), { once: true });
});
grid.addEventListener("dblclick", (event) => event.target.closest(".grid-cell") && edit());
grid.addEventListener("click", (event) => {
  const sort = event.target.closest("[data-sort]");
  if (!sort) return;
  const n = Number(sort.dataset.sort);
  state.sort = state.sort?.[0] === n ? (state.sort[1] ? null : [n, true]) : [n, false];
  arrange();
});
grid.addEventListener("input", (event) => {
  if (!("filter" in event.target.dataset)) return;
  state.filters[event.target.dataset.filter] = event.target.value;
  grid.scrollTop = 0;
  arrange();
});
grid.addEventListener("focusout", (event) => event.target === editor?.input && close(true));

const far = () => Math.max(Math.floor(grid.clientHeight / ROW) - 3, 1);
const moves = { ArrowUp: () => [-1, 0], ArrowDown: () => [1, 0], ArrowLeft: () => [0, -1], ArrowRight: () => [0, 1], PageUp: () => [-far(), 0], PageDown: () => [far(), 0] };
grid.addEventListener("keydown", (event) => {
  if ("filter" in event.target.dataset || event.target.closest("[data-sort]")) return;
  const [r, c] = state.at;
  if (editor) {
    if (event.key === "Escape") close(false);
    else if (event.key === "Enter" || event.key === "Tab") {
      close(true);
      if (event.key === "Enter") choose(r + 1, c);
      else choose(r, c + (event.shiftKey ? -1 : 1));
    } else return;
    event.preventDefault();
    return;
  }
  if ((event.ctrlKey || event.metaKey) && ["d", "z", "a"].includes(event.key.toLowerCase())) {
    event.preventDefault();
    if (event.key.toLowerCase() === "d") fillDown();
    else if (event.key.toLowerCase() === "z") undo();
    else {
      state.from = [0, 0];
      state.at = [state.rows.length - 1, state.columns.length - 1];
      draw();
    }
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (moves[event.key]) {
    const [dr, dc] = moves[event.key]();
    choose(r + dr, c + dc, event.shiftKey);
  } else if (event.key === "Home") choose(r, 0, event.shiftKey);
  else if (event.key === "End") choose(r, state.columns.length - 1, event.shiftKey);
  else if (event.key === "Tab" && (event.shiftKey ? c > 0 : c < state.columns.length - 1)) choose(r, c + (event.shiftKey ? -1 : 1));
  else if (event.key === "Enter" || event.key === "F2") edit();
  else if (event.key === "Delete" || event.key === "Backspace") {
    const [r1, c1, r2, c2] = box();
    const cells = [];
    for (let i = r1; i <= r2; i += 1) for (let n = c1; n <= c2; n += 1) cells.push([state.view[i], n, ""]);
    set(cells);
  } else if (event.key.length === 1) edit(event.key);
  else return;
  event.preventDefault();
});
grid.addEventListener("paste", (event) => {
  if (editor || "filter" in event.target.dataset) return;
  event.preventDefault();
  const [r, c] = [Math.min(state.at[0], state.from[0]), Math.min(state.at[1], state.from[1])];
  const rows = state.view.slice(r).filter((row) => row.id).map((row) => row.id);
  paste(event.clipboardData.getData("text/plain").replace(/\r\n?/g, "\n").replace(/\n$/, ""), rows, state.columns.slice(c).map((one) => one.key));
});
grid.addEventListener("copy", (event) => {
  if (editor) return;
  event.preventDefault();
  event.clipboardData.setData("text/plain", copied());
});
document.addEventListener("click", (event) => {
  const act = event.target.closest?.("[data-grid]")?.dataset.grid;
  if (act === "fill") fillDown();
  if (act === "undo") undo();
  if (act === "copy") navigator.clipboard?.writeText(copied());
});
document.getElementById("inside")?.addEventListener("change", (event) => { event.target.dataset.chosen = "yes"; });
document.querySelector("[data-go]")?.addEventListener("change", (event) => { window.location.href = event.target.value; });
new ResizeObserver(draw).observe(grid);
load();
