// Buttons that act on the page itself, keys, the working dialog, and messages.
import { openExtend } from "./extend.js";
import { clear, go } from "./select.js";
import { fit, lock, zoom } from "./sheet.js";

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
document.addEventListener("htmx:after:swap", () => {
  if (working().childElementCount && !working().open && working().dataset.wanted) working().showModal();
  delete working().dataset.wanted;
  const said = document.getElementById("said-now");
  if (said) {
    const box = document.createElement("div");
    box.setAttribute("role", "alert");
    for (const line of said.dataset.lines.split("\n")) {
      const p = document.createElement("p");
      p.textContent = line;
      box.append(p);
    }
    const close = document.createElement("button");
    close.className = "icon close-notice";
    close.dataset.do = "close-notice";
    close.setAttribute("aria-label", "Close this message");
    close.textContent = "×";
    notice().replaceChildren(box, close);
    said.remove();
  }
});
document.addEventListener("click", (event) => {
  if (event.target.closest?.('[data-do="working"]')) working().dataset.wanted = "yes";
}, true);

// a request that never reached the server must not look like success
document.addEventListener("htmx:error", () => {
  const box = document.createElement("div");
  box.setAttribute("role", "alert");
  box.textContent = "The application did not answer. What you typed is still in its field; try again.";
  notice().replaceChildren(box);
});

// find an element by name
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-find]")) return;
  const name = event.target.value;
  event.target.value = "";
  const url = new URL(window.location.href);
  const option = [...document.querySelectorAll("#names option")].find((o) => o.value === name);
  if (!option) return;
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
  if (typing || event.ctrlKey || event.metaKey || event.altKey || working()?.open) return; // a dialog has its own keys
  if (going) {
    going = false;
    document.querySelector(`[data-stage="${event.key}"]`)?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
    return;
  }
  const keys = { g: () => { going = true; }, "/": () => document.querySelector("[data-find]")?.focus(), 0: acts.fit, "+": acts.in, "-": acts.out,
    e: openExtend, Escape: clear, Delete: () => document.querySelector('[data-do-key="remove"]')?.click(),
    o: () => document.querySelector('[data-do-key="operate"]')?.click() };
  if (keys[event.key]) {
    event.preventDefault();
    keys[event.key]();
  }
});
