// Light or dark, before the first paint.
document.documentElement.dataset.light = localStorage.getItem("light") ?? "day";
// Of a long table the first rows are laid out before its columns are known; all of them in any case.
document.documentElement.classList.add("early");
setTimeout(() => document.documentElement.classList.remove("early"), 3000);
