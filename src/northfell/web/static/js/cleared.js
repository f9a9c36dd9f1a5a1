// The energy at a place for another time of clearing: it grows evenly with time. The slider begins where the device really clears.
const LEAST_S = 0.01;

function tell(box, t) {
  const { rate, close, breach } = box.dataset, energy = Number(rate) * t, told = box.querySelector("#cleared-energy");
  told.textContent = `${energy.toPrecision(3)} cal/cm²`;
  told.className = energy > Number(breach) ? "breach-text" : energy > Number(close) ? "close-text" : "";
}

function shown() {
  const box = document.getElementById("cleared"), slide = box?.querySelector("input");
  if (!slide || slide.dataset.of === box.dataset.rate) return;
  slide.dataset.of = box.dataset.rate;
  const { at, longest } = box.dataset;
  slide.value = Math.round((1000 * Math.log(Math.max(Number(at), LEAST_S) / LEAST_S)) / Math.log(Number(longest) / LEAST_S));
  tell(box, Number(at));
}

document.addEventListener("input", (event) => {
  const box = event.target.closest?.("#cleared");
  if (!box) return;
  const t = LEAST_S * (Number(box.dataset.longest) / LEAST_S) ** (event.target.value / 1000);
  box.querySelector("#cleared-in").textContent = `${t.toPrecision(2)} s`;
  tell(box, t);
});
document.addEventListener("htmx:after:swap", shown);
shown();
