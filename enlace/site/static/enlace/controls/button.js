// A button: says what it runs; one that makes no sense now says why.

import { Control } from "./control.js";

class Button extends Control {
  begin() {
    this.on("click", "[data-run]", (button) => {
      if (button.getAttribute("aria-disabled") === "true") enlaceSay(button.title || "That can't be done now.");
      else this.tell("run", { act: button.dataset.run, action: button.dataset.action, to: button.dataset.to });
    });
  }
}
customElements.define("enlace-button", Button);
