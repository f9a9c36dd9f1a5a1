// The pages beside the stages: light or dark, and forms, some of which are sent as soon as a choice is made.
import { tell } from "./notice.js";

document.addEventListener("click", (event) => {
  if (!event.target.closest?.('[data-do="night"]')) return;
  const light = document.documentElement.dataset.light === "night" ? "day" : "night";
  document.documentElement.dataset.light = light;
  localStorage.setItem("light", light);
});
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("form[data-at-once]");
  if (form) form.requestSubmit();
});
document.addEventListener("change", (event) => { // a choice that stands in the address is there again when the page is
  const choice = event.target.closest?.("[data-in-address]");
  if (!choice) return;
  const there = new URL(window.location.href);
  there.searchParams.set(choice.name, choice.value);
  window.history.replaceState(null, "", there);
});
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-copy]");
  if (!button) return;
  navigator.clipboard?.writeText(button.dataset.copy);
  button.textContent = "Copied";
});
document.addEventListener("click", (event) => {
  if (event.target.closest?.('[data-do="close-notice"]')) document.getElementById("notice")?.replaceChildren();
});

// a page that is shown again after a change stands where it stood
const stood = `stood ${window.location.pathname}`;
const y = sessionStorage.getItem(stood);
if (y !== null) {
  window.scrollTo(0, Number(y));
  sessionStorage.removeItem(stood);
}

// A file that a form was answered with is saved; the page then shows what has become of it.
async function save(answer, name) {
  const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(await answer.blob()), download: name });
  link.click();
  sessionStorage.setItem(stood, String(window.scrollY));
  setTimeout(() => window.location.reload(), 800);
}

// A form is sent beside the page: what failed is told on it, and what was typed and chosen stays.
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (form.getAttribute("method") !== "post" || event.defaultPrevented) return;
  event.preventDefault();
  if (form.dataset.sent) return;
  form.dataset.sent = "yes";
  const typed = new FormData(form, event.submitter);
  const body = form.enctype === "multipart/form-data" ? typed : new URLSearchParams(typed);
  let answer = null, told = "";
  try {
    answer = await fetch(event.submitter?.getAttribute("formaction") || form.getAttribute("action"), { method: "POST", body, headers: { Accept: "text/html" } });
    const file = answer.ok && answer.headers.get("content-disposition")?.match(/filename="([^"]+)"/);
    if (file) {
      await save(answer, file[1]);
      return;
    }
    told = await answer.text();
  } catch {
    answer = null;
  }
  delete form.dataset.sent;
  const page = answer && answer.headers.get("content-type")?.startsWith("text/html") ? new DOMParser().parseFromString(told, "text/html") : null;
  const failed = page?.querySelector("[data-failed]");
  if (!answer) tell("The server did not answer: whether it was done will show when the page is loaded again. What you typed is still here.", true);
  else if (failed || !page) tell(failed ? [...failed.querySelectorAll("p.told-why")].map((p) => p.textContent).join("\n") : told.slice(0, 500) || answer.statusText, true);
  else if (answer.redirected) {
    sessionStorage.setItem(stood, String(window.scrollY));
    if (answer.url.split("#")[0] === window.location.href.split("#")[0]) window.location.reload();
    else window.location.assign(answer.url);
  } else { // the same page, which says what was done or refused
    document.body.replaceWith(page.body);
    window.htmx?.process(document.body);
  }
});
