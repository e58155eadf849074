// What is pressed before the page's scripts are at work is done once they are: a button that htmx doesn't know yet would
// do nothing, and one that asks first would not ask.
(() => {
  const early = [];
  const hold = (event) => {
    const button = event.target.closest?.("button, input[type=submit]");
    if (!button) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    early.push(button);
  };
  document.addEventListener("click", hold, true);
  // Modules and deferred scripts ran before this, and htmx takes the page in at the same event: one turn later.
  document.addEventListener("DOMContentLoaded", () =>
    setTimeout(() => {
      document.removeEventListener("click", hold, true);
      for (const button of early) button.click();
    }),
  );
})();
