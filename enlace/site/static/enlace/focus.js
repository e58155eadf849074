// What can have the focus, in the order in which Tab goes through it.

import { letterOf, typedBy } from "./typing.js";

const FOCUSABLE = "[tabindex], input:enabled, button:enabled, a[href], select:enabled, textarea:enabled, summary";
const TYPED_INTO = "input:not([type=checkbox], [type=radio], [type=range], [type=button]), textarea";
const MODIFIERS = ["Shift", "Control", "Alt", "Meta", "AltGraph"];
const BROWSERS = ["F5", "F11", "F12"]; // what the browser does for them is not about a record
const LONGEST = 15_000; // milliseconds that keys wait for editors
const SEEN = { visibilityProperty: true }; // what a closed part hides has a place of its own all the same
const LATE = Symbol("late");
const LATE_RECORD = "The record is not there yet. What you pressed since then is not done: press it again.";

/** What Tab stops at within an element. */
export function stopsOf(root) {
  return [...root.querySelectorAll(FOCUSABLE)].filter(
    (element) => element.tabIndex >= 0 && element.checkVisibility(SEEN) && !element.closest("[inert]"),
  );
}

/** What of a control has the focus when one comes to it: of a grid its current cell. */
export function stopOf(control) {
  return control.querySelector('[role="gridcell"][tabindex="0"]') || stopsOf(control)[0];
}

/** Focus as Tab gives it: what stands in an editor is chosen, so that typing takes its place. */
export function focusOn(element) {
  element?.focus();
  if (element?.matches(TYPED_INTO)) element.select();
}

/** What is pressed while the editors of another record are on their way waits for them: the browser would pass over them, and
 *  letters would go to where the focus still is. */
export class HeldKeys {
  /** arrived(): once that is there which somebody went to. waiting(): whether it is not yet. late: what is told where it takes too
   *  long. pastes: whether the browser's own event of a paste is heard, which waits by itself. */
  constructor({ arrived, waiting = () => document.querySelector("[inert]"), late = LATE_RECORD, pastes = true }) {
    Object.assign(this, { arrived, waiting, late, pastes });
    this.held = null; // acts, one for each key
    this.waits = 0; // for how many things
    this.pressed = null; // a function that gives what the mouse was last pressed on
    document.addEventListener("keydown", (event) => this.key(event), true);
    document.addEventListener("paste", (event) => this.pasted(event), true);
    document.addEventListener("pointerdown", (event) => this.pointed(event), true);
    for (const kind of ["mousedown", "click", "dblclick"])
      document.addEventListener(kind, (event) => this.clicked(event), true);
  }

  /** Do something now, or once the editors are there that are on their way. */
  after(act) {
    if (!this.held && !this.waiting()) return act();
    if (!this.held) this.until(this.arrived());
    this.held.push(act);
  }

  /** Hold what is pressed until something is done; where that takes too long it is dropped. event: a key that was heard
   *  already, and is to wait too. */
  until(done, event = null) {
    this.held ??= [];
    this.waits += 1;
    if (event) this.again(event);
    const late = new Promise((resolve) => setTimeout(resolve, LONGEST, LATE));
    const over = Promise.resolve(done).catch(reportError); // what went wrong must not hold the keys for good
    Promise.race([over, late]).then((how) => {
      this.waits -= 1;
      if (how === LATE && this.held.length) {
        this.held = []; // in another record it would be wrong
        enlaceSay(this.late, true);
      }
      if (!this.waits) this.replay();
    });
  }

  replay() {
    const acts = this.held;
    this.held = null;
    while (acts.length) {
      acts.shift()();
      if (!this.held && !this.waiting()) continue;
      // What was pressed led to another record itself.
      for (const act of acts) this.after(act);
      return;
    }
  }

  key(event) {
    if (MODIFIERS.includes(event.key) || event.replayed || event.target.closest?.("dialog")) return;
    const { key, ctrlKey, altKey, metaKey } = event;
    const free = ctrlKey || altKey || metaKey;
    const tab = key === "Tab" && !free && !event.target.matches("input, textarea, select");
    if (!this.held && !(tab && this.waiting())) return;
    const browsers = this.pastes ? ["R", "V"] : ["R"]; // a paste waits by itself
    if (BROWSERS.includes(key) || (free && !altKey && browsers.includes(letterOf(event)))) return;
    this.again(event);
  }

  /** Press a key again once what is waited for is there. */
  again(event) {
    event.preventDefault();
    event.stopImmediatePropagation();
    const { key, code, shiftKey, ctrlKey, altKey, metaKey } = event;
    const modifierAltGraph = event.getModifierState("AltGraph");
    const held = { key, code, shiftKey, ctrlKey, altKey, metaKey, modifierAltGraph, bubbles: true, cancelable: true };
    this.after(() => press(held));
  }

  /** What is pasted behind keys that wait goes where they lead: its texts are there only while the browser tells of it. */
  pasted(event) {
    if (!this.held || !this.pastes || !event.isTrusted || event.target.closest?.("dialog")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const clipboardData = new DataTransfer();
    for (const kind of ["text/plain", "text/html"]) clipboardData.setData(kind, event.clipboardData.getData(kind));
    this.after(() => {
      const { activeElement } = document;
      const again = new ClipboardEvent("paste", { clipboardData, bubbles: true, cancelable: true });
      if (activeElement.dispatchEvent(again) && activeElement.matches(TYPED_INTO))
        document.execCommand("insertText", false, clipboardData.getData("text/plain"));
    });
  }

  /** A press of the mouse behind keys that wait waits too: it must not lead them elsewhere. */
  clicked(event) {
    const { type, clientX, clientY, shiftKey, ctrlKey, altKey, metaKey, isTrusted } = event;
    if (!this.held || !isTrusted || event.target.closest?.("dialog")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const init = { clientX, clientY, shiftKey, ctrlKey, altKey, metaKey, bubbles: true, cancelable: true };
    // What a press begins on is what it is about, even where the page moves beneath it.
    if (type === "mousedown") this.pressed = findable(event);
    const again = this.pressed ?? findable(event);
    this.after(() => {
      const there = again();
      if (type === "mousedown") there?.closest(FOCUSABLE)?.focus();
      else there?.dispatchEvent(new MouseEvent(type, init));
    });
  }

  /** A press of the mouse into an editor that is on its way: the editor of the same field has the focus then. */
  pointed({ clientX: x, clientY: y }) {
    if (!this.waiting()) return;
    const under = (element) => {
      const { left, right, top, bottom } = element.getBoundingClientRect();
      return x >= left && x <= right && y >= top && y <= bottom;
    };
    const part = [...document.querySelectorAll("[inert]")].find(under);
    const { id } = [...(part?.querySelectorAll(FOCUSABLE) ?? [])].find(under) ?? {};
    if (id) this.after(() => document.getElementById(id)?.focus());
  }
}

/** A function that gives what was pressed again: notes that come and go move what stands below them, and rows come anew. */
function findable({ target, clientX, clientY }) {
  const { id } = target.closest(FOCUSABLE) ?? {};
  const row = target.closest(".record[data-id]");
  const [rows, column] = row ? [row.parentElement, [...row.children].indexOf(target.closest("[role=gridcell]"))] : [];
  return () => {
    if (target.isConnected) return target;
    if (id) return document.getElementById(id);
    if (row) return rows.querySelector(`[data-id="${CSS.escape(row.dataset.id)}"]`)?.children[column];
    return document.elementFromPoint(clientX, clientY);
  };
}

/** Press a key where the focus is now. */
function press(init) {
  const { activeElement } = document;
  const event = Object.assign(new KeyboardEvent("keydown", init), { replayed: true });
  if (activeElement.dispatchEvent(event)) byDefault(activeElement, event);
}

/** What a browser does by itself for a key that somebody presses: for one that a script presses it does nothing. */
function byDefault(element, event) {
  const { key, ctrlKey, altKey, metaKey, shiftKey } = event;
  const text = typedBy(event);
  const typed = element.matches(TYPED_INTO);
  if (typed && text) document.execCommand("insertText", false, text);
  else if (typed && ctrlKey && key === "a") element.select();
  else if (typed && ctrlKey && ["z", "y"].includes(key)) document.execCommand(key === "z" ? "undo" : "redo");
  else if (ctrlKey || altKey || metaKey) return;
  else if (key === "Tab") {
    const stops = stopsOf(document.body);
    // From what Tab itself does not stop at, such as a heading, it goes to the next or last one from there.
    const after = stops.findIndex((stop) => element.compareDocumentPosition(stop) & Node.DOCUMENT_POSITION_FOLLOWING);
    const next = after < 0 ? stops.length : after;
    focusOn(stops.at(shiftKey ? next - 1 - stops.includes(element) : next % stops.length));
  } else if (typed) edit(element, key, shiftKey);
  else if (element.matches("select") && key in LINES) choose(element, LINES[key]);
  else if ((key === "Enter" && element.matches("button, a[href], summary")) || (key === " " && element.matches(SPACED)))
    element.click();
}

const SPACED = "button, summary, input"; // what a blank presses
const LINES = { ArrowUp: -1, ArrowDown: 1 };
const ERASING = { Backspace: "delete", Delete: "forwardDelete" };
const CARET = {
  ArrowLeft: ["backward", "character"],
  ArrowRight: ["forward", "character"],
  ArrowUp: ["backward", "line"],
  ArrowDown: ["forward", "line"],
  Home: ["backward", "lineboundary"],
  End: ["forward", "lineboundary"],
};

/** Go some lines on in a list of choices that is closed. */
function choose(list, by) {
  const lines = [...list.options].filter((line) => !line.disabled);
  const line = lines[lines.indexOf(list.selectedOptions[0]) + by];
  if (!line) return;
  line.selected = true;
  for (const kind of ["input", "change"]) list.dispatchEvent(new Event(kind, { bubbles: true }));
}

function edit(element, key, shiftKey) {
  if (key in ERASING) document.execCommand(ERASING[key]);
  else if (key in CARET) getSelection().modify(shiftKey ? "extend" : "move", ...CARET[key]);
  else if (key === "Enter" && element.matches("textarea")) document.execCommand("insertLineBreak");
  else if (key === "Enter") element.form?.requestSubmit();
}
