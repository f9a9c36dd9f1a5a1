// A short message at the foot of the page.
export function tell(text, alarm = false) {
  const box = document.createElement("div");
  box.setAttribute("role", alarm ? "alert" : "status");
  for (const line of text.split("\n")) {
    const p = document.createElement("p");
    p.textContent = line;
    box.append(p);
  }
  const close = document.createElement("button");
  close.className = "icon close-notice";
  close.dataset.do = "close-notice";
  close.setAttribute("aria-label", "Close this message");
  close.textContent = "×";
  let notice = document.getElementById("notice");
  if (!notice) {
    notice = Object.assign(document.createElement("div"), { id: "notice" });
    document.body.append(notice);
  }
  notice.classList.toggle("calm", !alarm);
  notice.replaceChildren(box, close);
}
