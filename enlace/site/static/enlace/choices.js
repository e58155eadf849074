// The list of a field: one for the page, put under whichever editor asks for it. After the combobox pattern of the
// WAI-ARIA Authoring Practices, with the list searched on the server.

import { textOf } from "./posting.js";

const PAUSE = 150;
const ABOUT_LINES = ["ArrowDown", "ArrowUp", "PageDown", "PageUp", "Enter", "Tab"];

const folded = (text) => text.trim().replace(/\s+/g, " ").normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();

export class Choices {
  /** hold(done, event): has a key wait, and those behind it. of(input): where an editor's list is asked for: url and view of its source, and the id of its record. */
  constructor(list, of) {
    Object.assign(this, { list, of, input: null, active: null, asked: 0, underWay: 0 });
    // Whoever clicks into an editor that shows a line means another one: what is typed then stands in its place.
    let entered = null;
    document.addEventListener("focusin", ({ target }) => {
      entered = Choices.fits(target) && !target.readOnly ? target : null;
    });
    document.addEventListener("pointerup", ({ target }) => {
      if (target === entered && target.selectionStart === target.selectionEnd) target.select();
      entered = null;
    });
    list.addEventListener("mousedown", (event) => event.preventDefault()); // the editor keeps the focus
    list.addEventListener("click", (event) => {
      const line = event.target.closest('[role="option"]');
      if (line) this.choose(line);
    });
    list.addEventListener("scroll", () => this.nearEnd() && this.more());
    document.addEventListener("focusout", (event) => event.target === this.input && this.close());
    window.addEventListener("resize", () => this.close());
    document.addEventListener("scroll", (event) => this.open && event.target !== list && this.place(), true);
  }

  get open() {
    return !this.list.hidden;
  }

  static fits(element) {
    return element?.getAttribute?.("role") === "combobox";
  }

  /** Something was typed: what was chosen before does not count any more. */
  typed(input) {
    delete input.dataset.choice;
    this.stepped = false;
    clearTimeout(this.timer);
    // The first letter is asked for at once; while an answer is on its way, the next ones wait for each other.
    const show = () => document.activeElement === input && this.show(input, input.value);
    this.paused = this.underWay ? show : null;
    if (this.paused) this.timer = setTimeout(show, PAUSE);
    else show();
  }

  /** Ask for the lines that have a text, and show them. */
  show(input, typed = "") {
    clearTimeout(this.timer);
    this.input = input;
    this.paused = null;
    this.asked += 1;
    this.underWay += 1;
    this.coming = this.shown(input, typed, this.asked);
    return this.coming;
  }

  async shown(input, typed, asked) {
    const { value } = input;
    const html = await this.lines(typed, 0);
    this.underWay -= 1;
    if (html === null || asked !== this.asked || document.activeElement !== input) return;
    this.text = typed;
    this.shownFor = value;
    this.list.innerHTML = html;
    this.list.hidden = false;
    this.list.scrollTop = 0;
    this.active = null;
    this.place();
    input.setAttribute("aria-expanded", "true");
    const lines = this.options.filter((line) => line.dataset.choice);
    const [first] = lines;
    this.stepped = false;
    // What begins so is meant, and so is the only line that has it anywhere; where nothing else may be typed, the first one.
    // A number may be the value itself, which no line has to show: the server finds that.
    this.free = this.list.querySelector("[data-free]") !== null || !/\p{L}/u.test(typed);
    const begins = first && (lines.length === 1 || folded(first.textContent).startsWith(folded(typed)));
    if (typed && first && (begins || !this.free)) this.mark(first);
    else this.mark(this.options.find((line) => line.textContent === input.value && line.dataset.choice) || null);
  }

  lines(typed, start) {
    const { url, view, record } = this.of(this.input);
    const asked = new URLSearchParams({
      record,
      field: this.input.dataset.field,
      typed,
      start,
    });
    const answer = fetch(`${url}choices?${asked}&${view}`, { headers: { "HX-Request": "true" } });
    return textOf(answer, "The list can't be read just now. Try again in a moment.");
  }

  place() {
    const box = this.input.getBoundingClientRect();
    const below = innerHeight - box.bottom - 8;
    const up = below < 160 && box.top > below;
    const width = Math.min(Math.max(box.width, 240), innerWidth - 16);
    Object.assign(this.list.style, {
      left: `${Math.max(8, Math.min(box.left, innerWidth - width - 8))}px`,
      width: `${width}px`,
      top: up ? "auto" : `${box.bottom + 2}px`,
      bottom: up ? `${innerHeight - box.top + 2}px` : "auto",
      maxHeight: `${Math.min(300, (up ? box.top : below) - 4)}px`,
    });
  }

  get options() {
    return [...this.list.querySelectorAll('[role="option"]')];
  }

  mark(line) {
    this.active?.removeAttribute("aria-selected");
    this.active = line;
    if (!line) return void this.input.removeAttribute("aria-activedescendant");
    line.setAttribute("aria-selected", "true");
    line.scrollIntoView({ block: "nearest" });
    this.input.setAttribute("aria-activedescendant", line.id);
  }

  step(by) {
    const { options } = this;
    if (!options.length) return;
    const at = options.indexOf(this.active);
    const next = at < 0 ? (by > 0 ? 0 : options.length - 1) : Math.min(Math.max(at + by, 0), options.length - 1);
    this.mark(options[next]);
    this.stepped = true;
    if (options[next].dataset.more && by > 0) this.more();
  }

  nearEnd() {
    return this.list.scrollTop + this.list.clientHeight > this.list.scrollHeight - 40;
  }

  /** The next lines, in place of the one that stands for them. */
  async more() {
    const line = this.list.querySelector("[data-more]");
    if (!line || this.loading) return;
    this.loading = true;
    const asked = this.asked;
    const html = await this.lines(this.text, line.dataset.more);
    this.loading = false;
    if (html === null || asked !== this.asked || !this.open) return;
    const marked = line === this.active;
    const before = line.previousElementSibling;
    line.insertAdjacentHTML("afterend", html);
    line.remove();
    if (marked) this.mark((before ? before.nextElementSibling : this.list.firstElementChild) || before);
  }

  choose(line) {
    if (line.dataset.more) return void this.more();
    const { input } = this;
    if (line.dataset.goTo) {
      const typed = this.text && input.value; // the list may be of what stood there a moment ago
      const address = `${line.dataset.goTo}&typed=${encodeURIComponent(typed)}`;
      this.close();
      this.leave?.(address);
      return;
    }
    input.value = line.textContent;
    input.dataset.choice = line.dataset.choice;
    this.close();
    input.dispatchEvent(new CustomEvent("enlace:chosen", { bubbles: true }));
  }

  close() {
    clearTimeout(this.timer);
    this.asked += 1;
    this.list.hidden = true;
    this.list.replaceChildren();
    if (!this.input) return;
    this.input.setAttribute("aria-expanded", "false");
    this.input.removeAttribute("aria-activedescendant");
    this.input = this.active = null;
  }

  /** Whether what is marked is meant by what stands in the editor now: the list may be of what stood there a moment ago. */
  get current() {
    const { value } = this.input;
    const within = folded(this.active?.textContent ?? "").includes(folded(value));
    return this.stepped || this.shownFor === value || (value.startsWith(this.shownFor) && within);
  }

  /** A key in an editor that has a list. True when the list took it. */
  key(event) {
    const { key, altKey, target } = event;
    // A key that is about the lines waits for those that are on their way, and what is pressed behind it too.
    if (this.underWay && this.input === target && ABOUT_LINES.includes(key) && this.hold) {
      if (this.paused) this.paused();
      this.hold(this.coming, event);
      return true;
    }
    if (!this.open || this.input !== target) {
      if (key !== "ArrowDown" && key !== "ArrowUp") return false;
      event.preventDefault();
      this.show(target, "");
      return true;
    }
    const steps = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 };
    if (altKey && key === "ArrowUp") this.close();
    else if (steps[key]) this.step(steps[key]);
    else if (key === "Escape") this.close();
    else if (key === "Enter" && this.active && this.current) this.choose(this.active);
    else if (
      key === "Tab" &&
      this.current &&
      (this.stepped || (this.text && !this.free)) &&
      this.active?.dataset.choice
    ) {
      this.choose(this.active); // and the focus goes on
      return false;
    } else return false;
    event.preventDefault();
    return true;
  }
}
