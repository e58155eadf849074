// The navigator: moves, the place typed or drawn, filter and refresh. New and Remove ask the server by themselves.

import { inHand } from "../inhand.js";
import { patch } from "../patch.js";
import { LAST } from "../source.js";
import { Control } from "./control.js";

class Navigator extends Control {
  begin() {
    this.on("click", "[data-go]", ({ dataset }) =>
      this.tell("go", { position: dataset.go === "last" ? LAST : dataset.go }),
    );
    this.on("click", "[data-step]", ({ dataset }) => this.tell("go", { step: Number(dataset.step) }));
    this.on("click", "[data-act-refresh]", () => this.tell("refresh"));
    this.on("click", "[data-act-filter]", (button) => this.tell("filter", { button }));
    this.on("submit", "form.where", (form, event) => {
      event.preventDefault();
      const { number } = form.elements;
      number.sent = number.value;
      this.tell("go", { number: number.value });
    });
    this.on("input", "[type=range]", (slide) => {
      this.querySelector("[name=number]").value = slide.value;
    });
    this.on("change", "[type=range]", (slide) => this.tell("go", { position: slide.value - 1 }));
    this.addEventListener("enlace:part", (event) => this.part(event));
  }

  /** An answer that stands where this does leaves the number be that somebody types. */
  part(event) {
    const { target: rail, detail: its } = event;
    const held = inHand();
    if (!this.contains(held) || rail.dataset.position !== its.dataset.position) return;
    event.preventDefault();
    patch(rail, its, (node) => node === held);
  }

  /** How many records there are has been counted: where it stands among them may be another place by now than when it was
   *  asked. words: the number as it is written. */
  counted(records, words) {
    const rail = this.querySelector(".rail");
    const at = rail.dataset.position === "" ? null : Number(rail.dataset.position);
    const ends = at === null || at >= records - 1;
    rail.querySelector("output").textContent = words;
    const slide = rail.querySelector("[type=range]");
    slide.max = records || 1;
    slide.disabled = !records;
    if (at !== null) slide.value = at + 1;
    const [next, last] = ["next", "last"].map((name) => rail.querySelector(`[id$="go-${name}"]`));
    last.dataset.go = Math.max(records - 1, 0);
    for (const button of [next, last]) {
      if (ends && button === document.activeElement) rail.querySelector("[name=number]").focus();
      button.disabled = ends;
    }
  }
}
customElements.define("enlace-navigator", Navigator);
