// Rows that open: what is inside is asked for once, when somebody opens it, and what stands behind that as one comes to it.

import { FRAGMENT } from "../source.js";
import { Control } from "./control.js";

const AWAY = "Enlace can't be reached just now. Close it and open it again.";

class Branches extends Control {
  begin() {
    this.on("click", "[data-card]", ({ dataset }) => this.tell("record", { id: dataset.card, position: dataset.at }));
    this.on("click", "[data-page-to]", ({ dataset }) => this.tell("beyond", { position: Number(dataset.pageTo) }));
    // What somebody opens or closes, they press; an answer that draws rows anew closes them too.
    this.on("click", ".branch > summary", ({ parentElement: branch }) => {
      if (branch.open) this.open.delete(this.keyOf(branch));
      else this.open.add(this.keyOf(branch));
    });
    // A toggle does not bubble, but it can be caught on its way down.
    this.addEventListener("toggle", ({ target }) => this.turned(target), true);
    this.open = new Set(); // the rows that somebody has open, which stay open when they are drawn anew
    new MutationObserver(() => this.openAgain()).observe(this, { childList: true, subtree: true });
    this.comes = new IntersectionObserver((several) => {
      for (const { isIntersecting, target } of several) if (isIntersecting) this.later(target);
    });
  }

  /** What tells a row from all others, those inside others too. */
  keyOf(branch) {
    return `${branch.closest(".inside")?.dataset.at ?? ""} ${branch.parentElement.dataset.row}`;
  }

  async turned(branch) {
    if (!branch.matches?.(".branch")) return;
    if (!branch.open) return this.openAgain();
    for (const inside of branch.querySelectorAll(":scope > [data-branches]")) await this.load(inside);
  }

  openAgain() {
    if (!this.open.size) return;
    for (const branch of this.querySelectorAll(".branch:not([open])"))
      if (this.open.has(this.keyOf(branch))) branch.open = true;
  }

  async load(inside) {
    const { branches } = inside.dataset;
    delete inside.dataset.branches;
    const into = inside.lastElementChild;
    into.textContent = "Loading …";
    const told = await this.asked(branches);
    if (told.html !== undefined) into.innerHTML = told.html;
    else into.textContent = told.words;
    if (told.away) inside.dataset.branches = branches;
    this.watch(into);
  }

  /** The rows behind those that are there. */
  async later(place) {
    this.comes.unobserve(place);
    const told = await this.asked(place.dataset.later);
    if (told.html === undefined) {
      place.textContent = told.words;
      return;
    }
    const made = document.createElement("template");
    made.innerHTML = told.html;
    const into = place.parentElement;
    const [rows, ...behind] = made.content.children;
    into.querySelector(":scope > .branches").append(...rows.children);
    place.replaceWith(...behind);
    this.watch(into);
  }

  /** Look out for what stands behind some rows. */
  watch(into) {
    for (const place of into.querySelectorAll(":scope > [data-later]")) this.comes.observe(place);
  }

  async asked(address) {
    try {
      const response = await fetch(address, FRAGMENT);
      const html = await response.text();
      return response.ok ? { html } : { words: enlaceWords(html) };
    } catch {
      return { words: AWAY, away: true };
    }
  }

  /** Another record is the current one. */
  stand(id) {
    const rows = [...this.querySelectorAll(":scope > .paged > .branches-box > .branches > [data-row]")];
    for (const row of rows) row.ariaCurrent = row.dataset.row === id ? "true" : null;
    if (id && rows.length && !rows.some((row) => row.ariaCurrent)) this.tell("renew", { id: this.dataset.control });
  }
}
customElements.define("enlace-branches", Branches);
