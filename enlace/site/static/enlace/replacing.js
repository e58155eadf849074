// Find and replace: asked in a box below the sentence, looked at, then done as one step.

import { posted } from "./posting.js";

/** sourceOf(element): the source that an element belongs to. */
export function replacing(sourceOf) {
  const headers = { "HX-Request": "true" };
  const boxOf = (element) => element.closest("[data-sentence]").querySelector("[data-replace-box]");

  /** What an answer says; null, and told, where there is none. */
  async function textOf(asked) {
    try {
      const response = await asked;
      const html = await response.text();
      if (response.ok) return html;
      enlaceSay(enlaceWords(html), true);
    } catch {
      enlaceSay("Enlace can't be reached just now. Try again in a moment.", true);
    }
    return null;
  }

  async function toggle(button) {
    const box = boxOf(button);
    box.hidden = !box.hidden;
    button.setAttribute("aria-expanded", !box.hidden);
    if (box.hidden) return;
    box.innerHTML = (await textOf(fetch(sourceOf(button).address("replace"), { headers }))) ?? "";
    box.querySelector("input")?.focus();
  }

  async function look(form) {
    const source = sourceOf(form);
    await source.page.settled();
    const html = await textOf(posted(source.address("replace/look"), new FormData(form)));
    if (html === null) return;
    form.querySelector("[data-replace-seen]").innerHTML = html;
    form.querySelector("[data-replace-run]")?.focus();
  }

  async function run(button) {
    const form = button.closest("form");
    const source = sourceOf(form);
    await source.send("replace/run", { ...Object.fromEntries(new FormData(form)), record: source.record || "" });
    const box = boxOf(form);
    box.hidden = true;
    box.closest("[data-sentence]").querySelector("[data-replace]").setAttribute("aria-expanded", "false");
    source.grid?.focus();
  }

  document.addEventListener("click", ({ target }) => {
    const asks = target.closest("[data-replace]");
    if (asks) toggle(asks);
    const runs = target.closest("[data-replace-run]");
    if (runs) run(runs);
  });
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("[data-replacing]");
    if (!form) return;
    event.preventDefault();
    look(form);
  });
  document.addEventListener("input", ({ target }) => {
    // What was looked at is about other words by now.
    target.closest?.("[data-replacing]")?.querySelector("[data-replace-seen]").replaceChildren();
  });
  document.addEventListener("keydown", (event) => {
    const box = event.key === "Escape" && event.target.closest?.("[data-replace-box]");
    if (box) box.closest("[data-sentence]").querySelector("[data-replace]").click();
  });
}
