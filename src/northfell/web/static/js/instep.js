// Two windows on one project stay in step: what another changed is shown here within two seconds, unless something is being typed
// or stands refused in its field.
import { go } from "./select.js";
import { desk } from "./view.js";

let asking = false;

async function look() {
  const shown = desk();
  if (!shown || asking || document.hidden || document.querySelector("dialog[open], [aria-invalid]")) return;
  asking = true;
  try {
    const answer = await fetch(`/projects/${shown.dataset.project}/version`);
    const typing = document.activeElement?.matches("input, textarea") && document.activeElement.value !== document.activeElement.defaultValue;
    if (answer.ok && !typing && desk()?.dataset.version === shown.dataset.version && Number(await answer.text()) > Number(shown.dataset.version)) {
      go(window.location.pathname + window.location.search);
    }
  } catch { /* asked again in a moment */ } finally {
    asking = false;
  }
}

setInterval(look, 1500);
