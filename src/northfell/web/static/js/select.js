// Selecting a symbol or a row: both hold a plain link, which opens in place; a modified click opens it as the browser would.
export function go(url, { byItself = false } = {}) {
  window.htmx.ajax("GET", url, { target: "#work", swap: "innerMorph", byItself });
}

document.addEventListener("click", (event) => {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
  const link = event.target.closest?.("#sheet a") ?? event.target.closest?.(".rows tr[data-element]")?.querySelector("a");
  if (link) {
    event.preventDefault();
    go(link.getAttribute("href"));
  } else if (event.target.id === "sheet") clear();
});

// Nothing selected: the card shows the project, its states and its settings.
export function clear() {
  const url = new URL(window.location.href);
  if (!url.searchParams.has("selected")) return;
  url.searchParams.delete("selected");
  go(url.pathname + url.search);
}
