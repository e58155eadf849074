// Cards and lists: records of which one is the current one, after the listbox pattern of the WAI-ARIA Authoring Practices.

import { Control } from "./control.js";

class Cards extends Control {
  begin() {
    this.on("click", "[data-card]", (card) => {
      for (const other of this.options) other.setAttribute("aria-selected", other === card);
      this.tell("record", { id: card.dataset.card, position: card.dataset.at });
    });
    this.on("keydown", "[data-cards]", (box, event) => this.key(box, event));
  }

  get options() {
    return [...this.querySelectorAll("[data-card]")];
  }

  key(box, event) {
    if (event.target !== box || event.ctrlKey || event.altKey || event.metaKey) return;
    const { options } = this;
    const at = options.findIndex((option) => option.getAttribute("aria-selected") === "true");
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
    const next = options[Math.min(Math.max(to, 0), options.length - 1)];
    next.scrollIntoView({ block: "nearest" });
    next.click();
  }
}
customElements.define("enlace-cards", Cards);
customElements.define("enlace-list", class extends Cards {});
