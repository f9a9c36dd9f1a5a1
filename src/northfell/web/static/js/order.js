// What asks for the desk anew goes one after the other, in the order in which it was asked for: an answer that comes late would take
// back what was chosen since. A later look makes an earlier one needless; an edit is never left out.
import { desk } from "./view.js";

const waiting = []; // what has been asked for and is not in place, the first of it being on its way
const isLook = (ctx) => ctx.request.method === "GET";
const isProgress = (ctx) => ctx.sourceElement.id === "running"; // asked for again and again while something runs

// A look that the page takes by itself gives way to all that its user does.
const needless = (earlier, later) => isLook(earlier) && !isProgress(earlier) && (earlier.byItself || (isLook(later) && !later.byItself && !isProgress(later)));

document.addEventListener("htmx:config:request", (event) => {
  const { ctx } = event.detail;
  if (ctx.target?.id !== "work") return;
  for (const earlier of waiting) if (needless(earlier, ctx)) earlier.request.abort();
  const behind = waiting.at(-1)?.done;
  ctx.done = new Promise((resolve) => { ctx.isDone = resolve; });
  waiting.push(ctx);
  ctx.fetch = async (address, asked) => {
    await behind;
    asked.signal.throwIfAborted();
    if (behind && asked.body?.has?.("version")) asked.body.set("version", desk().dataset.version); // which the answer before has brought
    if (desk()?.dataset.has) asked.headers["X-Has"] = desk().dataset.has;
    return fetch(isProgress(ctx) ? window.location.pathname + window.location.search : address, asked);
  };
});

document.addEventListener("htmx:finally:request", (event) => {
  const { ctx } = event.detail;
  if (!waiting.includes(ctx)) return;
  waiting.splice(waiting.indexOf(ctx), 1);
  ctx.isDone();
});
