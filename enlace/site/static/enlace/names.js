// Completion of names in an expression: the word before the caret, under the field that it is typed in.

const WORD = /[\p{L}_][\p{L}\p{N}_.]*$/u;
const MOST = 8;

export class Names {
  constructor() {
    this.list = document.createElement("ul");
    Object.assign(this.list, { id: "names", className: "choices names", hidden: true });
    this.list.setAttribute("role", "listbox");
    this.list.setAttribute("aria-label", "Names");
    document.querySelector("main").append(this.list);
    this.list.addEventListener("mousedown", (event) => {
      event.preventDefault();
      this.take(event.target.closest("li"));
    });
    document.addEventListener("focusout", () => this.close());
  }

  get known() {
    const source = document.querySelector("[data-names]");
    return source ? JSON.parse(source.dataset.names) : [];
  }

  typed(input) {
    if (
      input.hidden || // a code editor stands for it
      !input.matches?.("input.mono, textarea.mono") ||
      !input.matches("[data-property], [name=formula]")
    )
      return;
    const word = input.value.slice(0, input.selectionStart).match(WORD)?.[0] || "";
    const start = word.toLowerCase();
    const fitting = start
      ? this.known.filter((name) => name.toLowerCase().startsWith(start) && name.toLowerCase() !== start)
      : [];
    if (!fitting.length) return this.close();
    this.input = input;
    this.word = word;
    this.list.replaceChildren(
      ...fitting.slice(0, MOST).map((name, i) => {
        const line = document.createElement("li");
        Object.assign(line, { id: `name-${i}`, textContent: name });
        line.setAttribute("role", "option");
        return line;
      }),
    );
    const box = input.getBoundingClientRect();
    Object.assign(this.list.style, { left: `${box.left}px`, top: `${box.bottom + 2}px`, minWidth: "200px" });
    this.list.hidden = false;
    this.active = null;
  }

  take(line) {
    if (!line) return;
    const { input, word } = this;
    const at = input.selectionStart;
    input.setRangeText(line.textContent, at - word.length, at, "end");
    this.close();
    input.dispatchEvent(new Event("input", { bubbles: true }));
    this.close();
  }

  close() {
    this.list.hidden = true;
    this.active = null;
  }

  /** True when the list took the key. */
  key(event) {
    if (this.list.hidden || event.target !== this.input) return false;
    const lines = [...this.list.children];
    const at = lines.indexOf(this.active);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      this.active?.removeAttribute("aria-selected");
      this.active =
        lines[
          (at + (event.key === "ArrowDown" ? 1 : lines.length - 1) + (at < 0 && event.key === "ArrowUp" ? 1 : 0)) %
            lines.length
        ];
      this.active.setAttribute("aria-selected", "true");
    } else if (event.key === "Enter" && this.active) this.take(this.active);
    else if (event.key === "Escape") this.close();
    else return false;
    event.preventDefault();
    return true;
  }
}
