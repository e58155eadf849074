// Editing beside the grid, and what is still in an editor when the page closes.

import { Choices } from "./choices.js";

export function besideEditors(page) {
  const { desk, sources, choices, edits } = page;
  const { main } = sources;
  desk.addEventListener("change", (event) => {
    const editor = event.target;
    const source = sources.of(editor);
    if (editor.dataset.picture && editor.files.length) {
      const data = { record: source.panel.dataset.record, field: editor.dataset.picture, file: editor.files[0] };
      return source.send("picture", data);
    }
    if (source.isEditor(editor)) source.sendTyped(editor);
  });
  desk.addEventListener("input", ({ target }) => Choices.fits(target) && choices.typed(target));
  desk.addEventListener("enlace:chosen", ({ target }) => {
    const source = sources.of(target);
    if (source.isEditor(target)) source.sendTyped(target);
    else target.finish?.(); // a cell
  });
  desk.addEventListener("keydown", (event) => {
    const editor = event.target;
    const source = sources.of(editor);
    if (editor.closest?.("[data-filters]")) {
      if (event.key === "Escape") editor.value = editor.defaultValue;
      return;
    }
    if (editor.closest?.("[data-boxed-form]")) return void (Choices.fits(editor) && choices.key(event));
    if (!source.isEditor(editor)) return;
    if (Choices.fits(editor) && choices.key(event) && event.key !== "Escape") return;
    if (event.key === "Escape") editor.value = editor.sent ?? editor.defaultValue;
    else if (event.key === "Enter" && editor.matches("input"))
      editor.dispatchEvent(new Event("change", { bubbles: true }));
  });
  // A page that closes takes nothing with it: what is still in an editor is sent on the way out.
  const kept = `unsent ${main.url}`;
  window.addEventListener("pagehide", () => {
    const editor = document.activeElement;
    const source = sources.of(editor);
    const beside = source.isEditor(editor) && editor.value !== (editor.sent ?? editor.defaultValue);
    const typed = beside ? source.typed(editor) : editor?.typedInCell?.();
    if (!typed) return;
    // The next page may be read before the request arrives, so it is told too, and sends it once more.
    edits.last(source.address("edit"), typed);
    sessionStorage.setItem(kept, JSON.stringify({ address: source.address("edit"), typed }));
  });
  const unsent = sessionStorage.getItem(kept);
  if (unsent) {
    sessionStorage.removeItem(kept);
    const { address, typed } = JSON.parse(unsent);
    edits.send(address, "edit", typed, main);
  }
}

/** Open a calendar for an editor of a date. */
export function pickDate(editor) {
  const picker = document.createElement("input");
  picker.type = "date";
  picker.className = "date-picker";
  picker.tabIndex = -1;
  picker.setAttribute("aria-hidden", "true");
  if (/^\d{4}-\d\d-\d\d$/.test(editor.value)) picker.value = editor.value;
  editor.parentElement.append(picker);
  picker.addEventListener("change", () => {
    editor.value = picker.value;
    editor.dispatchEvent(new Event("change", { bubbles: true }));
    editor.focus();
  });
  picker.addEventListener("blur", () => picker.remove());
  picker.showPicker?.();
}
