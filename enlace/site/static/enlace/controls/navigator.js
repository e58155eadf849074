// The navigator: moves, the place typed or drawn, filter and refresh. New and Remove ask the server by themselves.

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
      this.tell("go", { number: form.elements.number.value });
    });
    this.on("input", "[type=range]", (slide) => {
      this.querySelector("[name=number]").value = slide.value;
    });
    this.on("change", "[type=range]", (slide) => this.tell("go", { position: slide.value - 1 }));
  }
}
customElements.define("enlace-navigator", Navigator);
