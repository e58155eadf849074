// Cards and lists: records of which one is the current one, after the listbox pattern of the WAI-ARIA Authoring Practices.

import { CardCells } from "../cardcells.js";
import { Control } from "./control.js";

class Cards extends Control {
  begin() {
    this.on("click", "[data-card]", (card, event) => {
      if (event.target.closest("input, select, textarea")) return;
      for (const other of this.options) other.setAttribute("aria-selected", other === card);
      this.tell("record", { id: card.dataset.card, position: card.dataset.at });
    });
    this.on("click", "[data-page-to]", ({ dataset }) => this.tell("beyond", { position: Number(dataset.pageTo) }));
    this.on("dblclick", "[data-line]", (line) => {
      const card = line.closest("[data-card]");
      this.edit(card, [...card.querySelectorAll("[data-line]")].indexOf(line));
    });
    this.on("keydown", "[data-cards]", (box, event) => this.key(box, event));
    this.drawn();
  }

  get box() {
    return this.querySelector("[data-cards]");
  }

  get options() {
    return [...this.querySelectorAll("[data-card]")];
  }

  get current() {
    return this.options.find((option) => option.getAttribute("aria-selected") === "true");
  }

  /** Its cards are others. */
  drawn(held = false) {
    const { box } = this;
    // On the control itself: what is in it is drawn anew.
    if (box?.dataset.width) this.style.setProperty("--card", `${box.dataset.width}px`);
    if (held) box?.focus();
  }

  /** Whether an answer has to wait, since somebody types in a card; it is asked for again then. */
  postpones() {
    if (!this.cells?.editing) return false;
    this.cells.late = true;
    return true;
  }

  edit(card, at, text) {
    if (!card || !("edits" in this.box.dataset)) return;
    if (this.cells) this.cells.open(card, at, text);
    else
      this.tell("join", {
        joined: (source, choices) => {
          this.cells = new CardCells(this, source, choices);
          this.cells.open(card, at, text);
        },
      });
  }

  /** Another record is the current one. */
  stand(id) {
    for (const card of this.options) card.setAttribute("aria-selected", card.dataset.card === id);
    if (id && this.options.length && !this.current) this.renew();
  }

  /** Have it drawn anew, with the records in which the current one is. */
  renew() {
    this.tell("renew", { id: this.dataset.control });
  }

  key(box, event) {
    if (event.target !== box || event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.key === "F2" || event.key === "Enter") {
      event.preventDefault();
      return this.edit(this.current, 0);
    }
    const { options } = this;
    const at = options.indexOf(this.current);
    const to = {
      ArrowDown: at + 1,
      ArrowRight: at + 1,
      ArrowUp: at - 1,
      ArrowLeft: at - 1,
      Home: 0,
      End: options.length - 1,
    }[event.key];
    if (to === undefined || !options.length) return;
    event.preventDefault();
    // Beyond its ends it goes on to the records before and behind.
    const next = options[to];
    const beyond = this.querySelectorAll("[data-page-to]:not([disabled])");
    if (next) {
      next.scrollIntoView({ block: "nearest" });
      next.click();
    } else if (beyond.length) {
      const position = Number(options[at].dataset.at) + (to > at ? 1 : -1);
      if (position >= 0) this.tell("beyond", { position });
    }
  }
}
customElements.define("enlace-cards", Cards);
customElements.define("enlace-list", class extends Cards {});
