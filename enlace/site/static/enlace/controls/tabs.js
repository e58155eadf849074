// Tabs after the pattern of the WAI-ARIA Authoring Practices.

import { Control } from "./control.js";

class Tabs extends Control {
  begin() {
    this.on("click", "[role=tab]", (tab) => this.own(tab) && this.open(tab));
    this.on("keydown", "[role=tab]", (tab, event) => {
      if (!this.own(tab)) return;
      const tabs = this.all;
      const at = tabs.indexOf(tab);
      const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: tabs.length - 1 }[event.key];
      if (to === undefined) return;
      event.preventDefault();
      const next = tabs[(to + tabs.length) % tabs.length];
      this.open(next);
      next.focus();
    });
  }

  get all() {
    return [...this.querySelectorAll(":scope > [data-tabs] > [role=tablist] > [role=tab]")];
  }

  /** Whether a tab is of these tabs, and not of others that lie on one of their pages. */
  own(tab) {
    return this.all.includes(tab);
  }

  open(tab) {
    for (const other of this.all) {
      const here = other === tab;
      other.setAttribute("aria-selected", here);
      other.tabIndex = here ? 0 : -1;
      document.getElementById(other.getAttribute("aria-controls")).hidden = !here;
    }
    this.tell("opened");
    window.dispatchEvent(new Event("resize")); // what was hidden had no size
  }
}
customElements.define("enlace-tabs", Tabs);
