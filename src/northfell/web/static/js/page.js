// The pages beside the stages: light or dark, and forms that are sent as soon as a choice is made.
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
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-copy]");
  if (!button) return;
  navigator.clipboard?.writeText(button.dataset.copy);
  button.textContent = "Copied";
});

// a page that is shown again after a change stands where it stood
const stood = `stood ${window.location.pathname}`;
document.addEventListener("submit", () => sessionStorage.setItem(stood, String(window.scrollY)));
const y = sessionStorage.getItem(stood);
if (y !== null) {
  window.scrollTo(0, Number(y));
  sessionStorage.removeItem(stood);
}
