// What is pressed or typed before the page's scripts are at work is done once they are: a button that htmx doesn't know
// yet would do nothing, one that asks first would not ask, nobody would send what an editor was left with, and Ctrl+S would
// have the browser save the page.
(() => {
  const early = [];
  const hold = (event, again) => {
    if (event.cancelable) event.preventDefault();
    event.stopImmediatePropagation();
    early.push(again);
  };
  const held = {
    click: (event) => {
      const button = event.target.closest?.("button, input[type=submit]");
      if (button) hold(event, () => button.click());
    },
    change: (event) => {
      const { target } = event;
      hold(event, () => target.dispatchEvent(new Event("change", { bubbles: true })));
    },
    keydown: (event) => {
      const { key, code, shiftKey, ctrlKey, altKey, metaKey } = event;
      const save = (ctrlKey || metaKey) && !altKey && key.toLowerCase() === "s";
      const act = altKey && shiftKey && !ctrlKey && !document.querySelector(`[accesskey="${CSS.escape(key)}" i]`);
      if (!save && !act) return;
      const init = { key, code, shiftKey, ctrlKey, altKey, metaKey, bubbles: true, cancelable: true };
      hold(event, () => document.activeElement.dispatchEvent(new KeyboardEvent("keydown", init)));
    },
  };
  for (const [type, heard] of Object.entries(held)) document.addEventListener(type, heard, true);
  // Modules and deferred scripts ran before this, and htmx takes the page in at the same event: one turn later.
  document.addEventListener("DOMContentLoaded", () =>
    setTimeout(() => {
      for (const [type, heard] of Object.entries(held)) document.removeEventListener(type, heard, true);
      for (const again of early) again();
    }),
  );
})();
