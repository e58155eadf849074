// Rows that open: what is inside is asked for once, when somebody opens it.

import { Control } from "./control.js";

class Branches extends Control {
  begin() {
    this.on("click", "[data-card]", ({ dataset }) => this.tell("record", { id: dataset.card, position: dataset.at }));
    // A toggle does not bubble, but it can be caught on its way down.
    this.addEventListener("toggle", ({ target }) => this.opened(target), true);
  }

  async opened(branch) {
    if (!branch.open || !branch.matches?.(".branch")) return;
    for (const inside of branch.querySelectorAll(":scope > [data-branches]")) await this.load(inside);
  }

  async load(inside) {
    const { branches } = inside.dataset;
    delete inside.dataset.branches;
    const into = inside.lastElementChild;
    into.textContent = "Loading …";
    try {
      const response = await fetch(branches, { headers: { "HX-Request": "true" } });
      const html = await response.text();
      if (response.ok) into.innerHTML = html;
      else into.textContent = enlaceWords(html);
    } catch {
      into.textContent = "Enlace can't be reached just now. Close it and open it again.";
      inside.dataset.branches = branches;
    }
  }
}
customElements.define("enlace-branches", Branches);
