// Light or dark, before the first paint.
document.documentElement.dataset.light = localStorage.getItem("light") ?? "day";
