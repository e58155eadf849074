// What is pressed or typed before the page's scripts are at work is done once they are: a button that htmx doesn't know
// yet would do nothing, one that asks first would not ask, and nobody would send what an editor was left with.
(() => {
  const early = [];
  const hold = (event) => {
    const it = event.type === "change" ? event.target : event.target.closest?.("button, input[type=submit]");
    if (!it) return;
    if (event.cancelable) event.preventDefault();
    event.stopImmediatePropagation();
    early.push([it, event.type]);
  };
  for (const type of ["click", "change"]) document.addEventListener(type, hold, true);
  // Modules and deferred scripts ran before this, and htmx takes the page in at the same event: one turn later.
  document.addEventListener("DOMContentLoaded", () =>
    setTimeout(() => {
      for (const type of ["click", "change"]) document.removeEventListener(type, hold, true);
      for (const [it, type] of early)
        if (type === "click") it.click();
        else it.dispatchEvent(new Event("change", { bubbles: true }));
    }),
  );
})();
