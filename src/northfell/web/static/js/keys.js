// Buttons that act on the page itself, keys, the working dialog, and messages.
import { closeExtend, openExtend } from "./extend.js";
import { tell } from "./notice.js";
import { act, copy, downstream, nudge, paste, pick, several, storeAssembly, symbols, toggle } from "./pick.js";
import "./post.js";
import { clear, go } from "./select.js";
import { lock } from "./sheet.js";
import { fit, zoom } from "./view.js";

const working = () => document.getElementById("working");
const notice = () => document.getElementById("notice");

const acts = {
  fit,
  lock,
  in: () => zoom(1 / 1.3),
  out: () => zoom(1.3),
  night: () => {
    const light = document.documentElement.dataset.light === "night" ? "day" : "night";
    document.documentElement.dataset.light = light;
    localStorage.setItem("light", light);
  },
  act: (button) => act(button.dataset.act),
  copy,
  paste: () => paste(),
  downstream,
  "store-assembly": storeAssembly,
  "pick-none": () => pick([]),
  tray: () => {
    closeExtend();
    const open = document.getElementById("desk").classList.toggle("with-tray");
    localStorage.setItem("tray", open ? "open" : "shut");
  },
  "use-assembly": (button) => useAssembly(button.closest("form")),
  "fold-ledger": () => {
    const folded = document.getElementById("desk").classList.toggle("no-ledger");
    localStorage.setItem("ledger-folded", folded ? "yes" : "no");
  },
  "fold-card": () => {
    const folded = document.getElementById("desk").classList.toggle("no-card");
    localStorage.setItem("card-folded", folded ? "yes" : "no");
  },
  "close-working": () => working().close(),
  "close-notice": () => notice().replaceChildren(),
  "copy-working": (button) => {
    navigator.clipboard?.writeText(working().querySelector("[data-text]").textContent);
    button.textContent = "Copied";
  },
};

document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-do]");
  if (button) acts[button.dataset.do]?.(button);
  if (event.target === working()) working().close();
});

// what the server answers with that is not part of the desk
document.addEventListener("htmx:after:swap", (event) => {
  document.getElementById("desk")?.classList.toggle("with-tray", localStorage.getItem("tray") === "open");
  const into = event.detail.ctx?.target;
  if (into?.matches?.("dialog") && into.dataset.wanted) { // its own answer: what comes in between, such as counts, opens nothing and leaves it wanted
    delete into.dataset.wanted;
    if (into.childElementCount && !into.open) into.showModal();
  }
  const said = document.getElementById("said-now");
  if (said) {
    tell(said.dataset.lines, true);
    said.remove();
  }
});
document.addEventListener("click", (event) => {
  if (event.target.closest?.('[data-do="working"]')) working().dataset.wanted = "yes";
  if (event.target.closest?.('[data-do="assemblies"]')) document.getElementById("assemblies").dataset.wanted = "yes";
  if (event.target.closest?.("[data-do=close-assemblies], #assemblies [hx-post]") || event.target.id === "assemblies") document.getElementById("assemblies").close();
}, true);

// a request that never reached the server must not look like success
document.addEventListener("htmx:error", () => {
  tell("The application did not answer. What you typed is still in its field; try again.", true);
});

// an assembly writes its line into Extend, where it can be read and changed before it is placed
async function useAssembly(form) {
  const blanks = new URLSearchParams(new FormData(form));
  const answer = await fetch(`${form.dataset.line}?${blanks}`, { headers: { "HX-Request": "true" } });
  const text = await answer.text();
  if (answer.ok) {
    document.getElementById("assemblies").close();
    openExtend(text);
  } else tell(new DOMParser().parseFromString(text, "text/html").body.textContent.trim(), true);
}
document.addEventListener("submit", (event) => {
  if (event.target.matches?.("[data-line]")) {
    event.preventDefault();
    useAssembly(event.target);
  }
});

// a choice that is part of the look stands in the address; the menu it was made in stays open for the next
let stays = "";
document.addEventListener("htmx:after:swap", () => {
  if (stays) document.getElementById(stays)?.setAttribute("open", "");
  stays = "";
});
document.addEventListener("change", (event) => {
  const look = event.target.dataset?.look;
  if (!look) return;
  const url = new URL(window.location.href);
  const menu = event.target.closest("details");
  if (menu?.id) stays = menu.id;
  if (event.target.type === "checkbox") {
    const chosen = [...document.querySelectorAll(`[data-look="${look}"]:checked`)].map((box) => box.value);
    url.searchParams.set(look, chosen.join(".") || "none");
  } else if (event.target.value) url.searchParams.set(look, event.target.value);
  else url.searchParams.delete(look);
  go(url.pathname + url.search);
});

// what follows from a value is shown while it is typed
let typing = 0;
document.addEventListener("input", (event) => {
  const [box, field] = [document.getElementById("derived"), event.target];
  if (!box || !field.matches?.("#card .field input.number")) return;
  clearTimeout(typing);
  typing = setTimeout(async () => {
    const query = `${document.getElementById("desk").dataset.view}&value=${encodeURIComponent(field.value)}`;
    const answer = await fetch(`${box.dataset.of}${field.id.replace("field-", "")}?${query}`, { headers: { "HX-Request": "true" } }).catch(() => null);
    if (answer?.ok && document.activeElement === field) document.getElementById("derived").innerHTML = await answer.text();
  }, 150);
});

// where the values that one enters are from, kept from card to card
function origin() {
  const select = document.getElementById("entry-origin");
  if (select) select.value = sessionStorage.getItem("origin") ?? "own";
}
document.addEventListener("change", (event) => event.target.id === "entry-origin" && sessionStorage.setItem("origin", event.target.value));
document.addEventListener("htmx:after:swap", origin);
origin();

// find an element by name
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-find]")) return;
  const name = event.target.value;
  event.target.value = "";
  const url = new URL(window.location.href);
  const option = [...document.querySelectorAll("#names option")].find((o) => o.value === name);
  if (!option) return;
  if (option.dataset.href) {
    window.location.href = option.dataset.href;
    return;
  }
  url.searchParams.set("selected", option.dataset.id ?? name);
  go(url.pathname + url.search);
});

let going = false;
document.addEventListener("keydown", (event) => {
  const typing = event.target.matches?.("input, select, textarea");
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) {
    event.preventDefault();
    document.querySelector(`[data-do-key="${event.shiftKey ? "redo" : "undo"}"]`)?.click();
    return;
  }
  if ((event.ctrlKey || event.metaKey) && !typing && document.getElementById("sheet")) {
    if (event.key.toLowerCase() === "c" && !window.getSelection()?.toString()) copy();
    else if (event.key.toLowerCase() === "a") {
      event.preventDefault();
      pick(symbols().map((s) => s.dataset.element));
    }
  }
  if (typing || event.ctrlKey || event.metaKey || event.altKey || working()?.open || document.getElementById("assemblies")?.open) return; // a dialog has its own keys
  if (going) {
    going = false;
    document.querySelector(`[data-stage="${event.key}"]`)?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
    return;
  }
  if (several() && event.key === "Escape") return pick([]);
  const focused = event.key === " " && event.target.closest?.("#sheet a.el");
  if (focused) { // the keyboard's way to pick several
    event.preventDefault();
    return toggle(focused.dataset.element);
  }
  const far = event.shiftKey ? 5 : 1;
  const stage = document.getElementById("desk")?.dataset.stage;
  const drawing = stage !== "network" ? {} : {
    ArrowLeft: () => nudge(-far, 0), ArrowRight: () => nudge(far, 0), ArrowUp: () => nudge(0, -far), ArrowDown: () => nudge(0, far),
    r: () => act("turn"), f: () => act("flip"), t: acts.tray, Backspace: () => act("off"), Delete: () => act("remove"), d: downstream };
  const keys = { ...drawing, g: () => { going = true; }, "/": () => document.querySelector("[data-find]")?.focus(), 0: acts.fit, "+": acts.in, "-": acts.out,
    e: openExtend, Escape: () => { closeExtend(); clear(); },
    o: () => document.querySelector('[data-do-key="operate"]')?.click() };
  if (keys[event.key]) {
    event.preventDefault();
    keys[event.key]();
  }
});
document.getElementById("desk")?.classList.toggle("with-tray", localStorage.getItem("tray") === "open" && document.getElementById("extend").hidden);
