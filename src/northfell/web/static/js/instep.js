// Windows on one project stay in step: what another changed is shown here within two seconds, unless something is being typed
// or stands refused in its field. Who else is there stands in the top line, and what they have picked is marked quietly.
import { project } from "./post.js";
import { go } from "./select.js";
import { desk } from "./view.js";

const name = crypto.getRandomValues(new Uint32Array(2)).join("-");
let asking = false;
const sent = new Set(); // what this window has asked for and not been answered: its own edits come with that answer
document.addEventListener("htmx:before:request", (event) => sent.add(event.detail.ctx));
document.addEventListener("htmx:finally:request", (event) => sent.delete(event.detail.ctx));
let others = [];
let marked = []; // the symbols that they have picked; not looked for in the sheet, which may have tens of thousands of parts

async function look() {
  const shown = desk();
  if (!shown || asking || document.hidden) return;
  asking = true;
  try {
    const query = new URLSearchParams({ window: name, picked: shown.dataset.element });
    const answer = await fetch(`${project("/others")}?${query}`);
    if (!answer.ok) return;
    const found = await answer.json();
    others = found.others;
    mark();
    if (!busy() && desk()?.dataset.version === shown.dataset.version && found.version > Number(shown.dataset.version)) go(window.location.pathname + window.location.search, { byItself: true });
  } catch { /* asked again in a moment */ } finally {
    asking = false;
  }
}

const busy = () => {
  const typing = document.activeElement?.matches("input, textarea") && document.activeElement.value !== document.activeElement.defaultValue;
  return sent.size || typing || held();
};
// a dialog, a refused field or a curve in the hand; not looked for in the whole page, of which a sheet may be the most
const held = () => [...document.getElementsByTagName("dialog")].some((one) => one.open)
  || ["card", "extend", "curves"].some((id) => document.getElementById(id)?.querySelector("[aria-invalid], .tc-handle.held"));

// Figures of states that were not solved when an answer was given follow once they are.
let awaited = false;
function follow() {
  if (!awaited) return;
  if (busy()) { setTimeout(follow, 250); return; }
  awaited = false;
  if (desk()?.dataset.waiting) go(window.location.pathname + window.location.search, { byItself: true });
}
document.addEventListener("states-known", () => { awaited = true; setTimeout(follow, 0); });

function mark() {
  const place = document.getElementById("others");
  if (!place) return;
  const names = [...new Set(others.map((one) => one.name || "someone"))];
  place.hidden = !names.length;
  place.textContent = names.length ? `also here: ${names.join(", ")}` : "";
  for (const symbol of marked) symbol.classList.remove("theirs");
  marked = others.filter((one) => one.picked).flatMap((one) => document.querySelector(`#sheet [data-element="${CSS.escape(one.picked)}"]`) ?? []);
  for (const symbol of marked) symbol.classList.add("theirs");
}

document.addEventListener("htmx:after:swap", mark);
setInterval(look, 1500);
look();
