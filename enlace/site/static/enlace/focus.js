// What can have the focus, in the order in which Tab goes through it.

const FOCUSABLE = "[tabindex], input:enabled, button:enabled, a[href], select:enabled, textarea:enabled, summary";
const SOON = 2_000; // milliseconds that a Tab waits for editors

/** What Tab stops at within an element. */
export function stopsOf(root) {
  return [...root.querySelectorAll(FOCUSABLE)].filter(
    (element) => element.tabIndex >= 0 && element.getClientRects().length && !element.closest("[inert]"),
  );
}

/** What of a control has the focus when one comes to it: of a grid its current cell. */
export function stopOf(control) {
  return control.querySelector('[role="gridcell"][tabindex="0"]') || stopsOf(control)[0];
}

/** Tab waits while the editors of another record are on their way, as what is typed behind it does: the browser would pass
 *  them over. settled(): once they are there. */
export function holdTab(settled) {
  let held = null; // what was pressed meanwhile: 1 and -1 for Tab with and without Shift, and letters

  function replay() {
    const pressed = held;
    held = null;
    for (const one of pressed) {
      if (typeof one === "string") document.execCommand("insertText", false, one);
      else {
        const stops = stopsOf(document.body);
        const next = stops[(stops.indexOf(document.activeElement) + one + stops.length) % stops.length];
        next?.focus();
        if (next?.matches("input:not([type=checkbox], [type=radio], [type=range])")) next.select();
      }
    }
  }

  document.addEventListener(
    "keydown",
    (event) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.target.closest?.("dialog")) return;
      const tab = event.key === "Tab";
      const begins = tab && !event.target.matches("input, textarea, select") && document.querySelector("[inert]");
      if (!begins && !(held && (tab || event.key.length === 1))) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (!held) Promise.race([settled(), new Promise((done) => setTimeout(done, SOON))]).then(replay);
      held ??= [];
      held.push(tab ? (event.shiftKey ? -1 : 1) : event.key);
    },
    true,
  );
}
