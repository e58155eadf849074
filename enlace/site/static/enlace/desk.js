// The desk: one current record for grid, navigator and editors; what is typed goes out through Edits.

import { CellEditor } from "./celleditor.js";
import { Choices } from "./choices.js";
import { apply, complain, Edits } from "./edits.js";
import { Grid } from "./grid.js";

const desk = document.getElementById("desk");
const url = desk.dataset.url;
const { view } = desk.dataset; // the order and the filters, as a query string
const edits = new Edits(url, view);
const panel = () => document.getElementById("panel");
const tell = { record: panel().dataset.record, position: panel().dataset.position };

const grid = new Grid(document.getElementById("grid"), url, {
  view,
  edits,
  moved: (id, position) =>
    move(id ? `record?record=${encodeURIComponent(id)}&position=${position}` : `at?position=${position}`, 90),
  edit: (row, head, cell, text) =>
    desk.dataset.editable ? cells.open(row, head, cell, text) : enlaceSay("This form is read only."),
});
const choices = new Choices(
  document.getElementById("choices"),
  url,
  (input) => input.dataset.record || panel().dataset.record,
);
choices.leave = (address) => settled().then(() => location.assign(address));
const cells = new CellEditor(grid, edits, choices, async (id, number) => {
  await moving;
  return panel().dataset.record === id ? document.getElementById(`e-${number}`) : null;
});
grid.current = { id: tell.record, position: Number(tell.position || 0) };
grid.setTop(Math.max(0, grid.current.position - 3));
grid.mark();

// -- moving ------------------------------------------------------------------------------------------------

let moving = Promise.resolve();
let moves = 0; // under way: until the last one arrives, the current record is not settled
let waiting = null;
let asking = null;

function move(path, pause = 0) {
  clearTimeout(waiting?.timer);
  const done = waiting?.done;
  moves += 1;
  panel().inert = true; // its editors are of the record before: nobody should type into them now
  moving = new Promise((resolve) => {
    waiting = { done: resolve };
    waiting.timer = setTimeout(() => ask(path).finally(resolve), pause);
  }).finally(() => {
    moves -= 1;
    if (!moves) panel().inert = false;
  });
  done?.();
  return moving;
}

async function ask(path) {
  asking?.abort();
  const mine = new AbortController();
  asking = mine;
  try {
    while (!(await answered(path, mine.signal)));
  } catch (error) {
    if (error.name !== "AbortError") enlaceSay("Enlace can't be reached just now. Try again in a moment.", true);
  }
}

/** Go to a record; false: it was read before what was typed meanwhile. A newer move ends this one by its signal. */
async function answered(path, signal) {
  await edits.idle();
  signal.throwIfAborted(); // the person is on the way to another record by now
  await leave();
  const { count } = edits;
  const address = `${url}${path}&${view}`;
  const response = await fetch(address, { headers: { "HX-Request": "true" }, signal });
  const html = response.ok && (await response.text());
  signal.throwIfAborted();
  if (edits.count !== count) return false;
  if (response.ok) apply(html, response);
  else await complain(response);
  return true;
}

// What a request is known by when it is sent again.
const fresh = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");

// Where each record is saved as one leaves it: the record that is left, and what hangs on it.
async function leave() {
  if (!("each" in desk.dataset) || !/^(edited|new|removed)$/.test(panel().dataset.state || "")) return;
  const only = panel().dataset.record;
  const done = edits.send("save", { only, record: only, position: tell.position, token: fresh() });
  panel().dataset.state = "leaving";
  await done;
}

const goTo = (position) => move(`at?position=${position}`);

document.addEventListener("click", (event) => {
  const go = event.target.closest("[data-go]");
  if (go) goTo(go.dataset.go === "last" ? 2 ** 53 : go.dataset.go);
  if (event.target.closest("#act-refresh")) {
    goTo(grid.current.position ?? 0);
    grid.load();
    enlaceSay("Read anew.");
  }
  const pick = event.target.closest("[data-pick]");
  if (pick) pickDate(document.getElementById(pick.dataset.pick));
  const opens = document.getElementById(event.target.closest("[data-open-choices]")?.dataset.openChoices || "");
  if (opens) {
    opens.focus();
    choices.open ? choices.close() : choices.show(opens, "");
  }
  const empties = document.getElementById(event.target.closest("[data-empty-choice]")?.dataset.emptyChoice || "");
  if (empties) {
    empties.focus();
    empties.value = "";
    delete empties.dataset.choice;
    empties.dispatchEvent(new Event("change", { bubbles: true }));
  }
  if (event.target.closest("[data-close-groups]")) {
    document.getElementById("groups").replaceChildren();
    document.querySelector(".totals .by button")?.focus();
  }
  const clear = event.target.closest("[data-clear]");
  if (clear) edits.send("picture", { record: tell.record, field: clear.dataset.clear });
  const empty = event.target.closest("[data-empty]");
  if (empty) {
    const { record, position } = panel().dataset;
    edits.send("empty", { record, position, field: empty.dataset.empty, to: empty.dataset.to });
  }
  if (event.target.closest("#read-anew")) {
    move(`record?record=${encodeURIComponent(tell.record)}`);
    grid.load();
  }
});
document.addEventListener("submit", (event) => {
  if (event.target.id === "rehearse" && (edits.busy || moves)) {
    event.preventDefault();
    settled().then(() => document.getElementById("rehearse")?.submit());
  }
  if (event.target.id !== "go-form") return;
  event.preventDefault();
  move(`at?number=${encodeURIComponent(document.getElementById("go-number").value)}`);
});
document.addEventListener("input", (event) => {
  if (event.target.id === "go-slide") document.getElementById("go-number").value = event.target.value;
});

// -- what others change meanwhile ---------------------------------------------------------------------------

// Another window of the same person shares the draft; somebody else may have changed the current record.
const PULSE = 4000;
let revision = Number(desk.dataset.revision || 0);
const typing = () => {
  const editor = document.activeElement;
  return (
    grid.editing ||
    (editor?.dataset?.field && panel().contains(editor) && editor.value !== (editor.sent ?? editor.defaultValue))
  );
};
async function pulse() {
  if (document.hidden || edits.busy || moves || pulse.asking) return;
  pulse.asking = true;
  const { count } = edits;
  const known = revision;
  try {
    const asked = new URLSearchParams({
      revision,
      record: tell.record || "",
      position: tell.position || 0,
      seen: panel().dataset.seen || "",
    });
    const response = await fetch(`${url}pulse?${asked}&${view}`, { headers: { "HX-Request": "true" } });
    if (response.status !== 200 || edits.busy || moves || edits.count !== count || revision !== known) return;
    // What is being typed stays: the editors are read anew once somebody moves.
    apply(await response.text(), response, typing() ? "#panel" : null);
  } catch {
    // Away: the next act says so.
  } finally {
    pulse.asking = false;
  }
}
setInterval(pulse, PULSE);
window.addEventListener("focus", pulse);
document.addEventListener("visibilitychange", pulse);
document.addEventListener("enlace:draft", ({ detail }) => (revision = detail.revision));
document.addEventListener("enlace:drift", ({ detail }) => {
  if (panel().dataset.record === detail.record) panel().dataset.seen = detail.seen;
});

// -- what the server tells ----------------------------------------------------------------------------------

document.addEventListener("enlace:current", ({ detail }) => {
  tell.record = detail.id;
  tell.position = detail.position ?? tell.position;
  grid.setCurrent(detail.id, detail.position);
  const errand = document.querySelector("#errand [name=record]");
  if (errand) errand.value = detail.id;
  const address = new URL(location);
  address.searchParams.set("record", detail.id);
  history.replaceState(null, "", address);
});
document.addEventListener("enlace:total", ({ detail }) => grid.setTotal(detail.total));
document.addEventListener("enlace:go", ({ detail }) => location.replace(detail.to));
document.addEventListener("enlace:stale", () => grid.load());
document.addEventListener("enlace:focus", ({ detail }) => document.getElementById(`e-${detail.number}`)?.focus());
document.addEventListener("enlace:settled", ({ detail }) => {
  if (panel().dataset.record !== detail.record) return;
  panel().dataset.state = detail.state;
  for (const note of panel().querySelectorAll(".note:has(*)")) {
    if (detail.notes.includes(Number(note.id.split("-").pop()))) continue;
    note.className = "note";
    note.replaceChildren();
  }
  showOthers(detail.others || {});
  for (const [number, fixed] of Object.entries(detail.fixed || {})) {
    const other = document.getElementById(`e-${number}`);
    if (other?.matches("input, textarea")) other.readOnly = fixed;
  }
  const editor = document.getElementById(`e-${detail.number}`);
  if (!editor || (editor === document.activeElement && editor.value !== editor.sent && editor.sent !== undefined))
    return;
  if (detail.text !== undefined) editor.value = editor.sent = detail.text;
  const note = document.getElementById(`note-${detail.record}-${detail.number}`);
  if (note?.classList.contains("wrong")) editor.setAttribute("aria-invalid", "true");
  else editor.removeAttribute("aria-invalid");
});
function showOthers(texts) {
  for (const [number, text] of Object.entries(texts)) {
    const other = document.getElementById(`e-${number}`);
    if (!other || other === document.activeElement) continue;
    if (other.matches("output")) other.textContent = text || "—";
    else other.value = other.sent = text;
  }
}
// Calculated fields follow what is typed, before anything of it is kept.
let glimpse = null;
desk.addEventListener("input", ({ target }) => {
  if (!("computed" in desk.dataset) || !target.dataset?.field || !panel().contains(target) || Choices.fits(target))
    return;
  clearTimeout(glimpse);
  glimpse = setTimeout(async () => {
    const { record } = panel().dataset;
    const { value } = target;
    const asked = new URLSearchParams({ record, field: target.dataset.field, value });
    try {
      const response = await fetch(`${url}preview?${asked}&${view}`, { headers: { "HX-Request": "true" } });
      if (
        response.ok &&
        panel().dataset.record === record &&
        document.activeElement === target &&
        target.value === value
      )
        showOthers(await response.json());
    } catch {
      // Away: what was typed is sent as soon as it is back.
    }
  }, 250);
});
// Fragments replace rows and buttons; the focus must not get lost with them.
let last = null;
document.addEventListener("focusin", (event) => (last = event.target));
document.addEventListener("htmx:oobAfterSwap", ({ detail }) => detail.target?.matches(".record") && grid.mark());
document.addEventListener("htmx:oobBeforeSwap", (event) => {
  // Of a row with an open editor in it, all but the editor's cell is replaced.
  const { target, fragment } = event.detail;
  if (!grid.editing || !target?.contains(grid.editing)) return;
  event.detail.shouldSwap = false;
  const fresh = fragment.querySelector?.(".record") || fragment;
  for (const name of ["state", "fault"]) {
    if (name in fresh.dataset) target.dataset[name] = fresh.dataset[name];
    else delete target.dataset[name];
  }
  [...fresh.children].forEach((cell, i) => {
    if (target.children[i].contains(grid.editing)) grid.editing.kept = cell;
    else target.children[i].replaceWith(cell.cloneNode(true));
  });
});
new MutationObserver(refocus).observe(desk, { childList: true, subtree: true });
function refocus() {
  if (document.activeElement !== document.body || !last || document.contains(last)) return;
  const again = last.id && document.getElementById(last.id);
  if (again && !again.disabled) again.focus();
  else if (last.matches?.('[role="gridcell"], .record *')) grid.focus();
  else if (last.closest?.("#rail")) document.getElementById("go-number")?.focus();
  else if (last.closest?.("#strip")) document.querySelector("#strip button:not(:disabled), #act-new")?.focus();
  grid.mark();
}

// -- editing beside the grid --------------------------------------------------------------------------------

function typed(editor) {
  return {
    record: panel().dataset.record,
    field: editor.dataset.field,
    value: editor.value,
    choice: editor.dataset.choice,
    seen: editor.dataset.seen,
    seen_text: (editor.defaultValue ?? "").length < 4000 ? editor.defaultValue : undefined,
    position: panel().dataset.position,
  };
}
desk.addEventListener("change", (event) => {
  const editor = event.target;
  if (editor.id === "go-slide") return goTo(editor.value - 1);
  if (editor.dataset.picture && editor.files.length) {
    const data = { record: panel().dataset.record, field: editor.dataset.picture, file: editor.files[0] };
    return edits.send("picture", data);
  }
  if (editor.dataset.field && panel().contains(editor)) sendTyped(editor);
});
function sendTyped(editor) {
  if (editor.value === editor.sent) return;
  editor.sent = editor.value;
  edits.send("edit", typed(editor));
  delete editor.dataset.choice;
}
desk.addEventListener("input", ({ target }) => Choices.fits(target) && choices.typed(target));
desk.addEventListener("enlace:chosen", ({ target }) => {
  if (panel().contains(target)) sendTyped(target);
  else cells.chosen(target);
});
desk.addEventListener("keydown", (event) => {
  const editor = event.target;
  if (Choices.fits(editor) && panel().contains(editor) && choices.key(event)) return;
  if (event.key === "Escape" && editor.dataset.field && panel().contains(editor)) {
    editor.value = editor.sent ?? editor.defaultValue;
  } else if (event.key === "Enter" && editor.matches("#panel input[data-field]")) {
    editor.dispatchEvent(new Event("change", { bubbles: true }));
  }
});
function pickDate(editor) {
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
// A page that closes takes nothing with it: what is still in an editor is sent on the way out.
window.addEventListener("pagehide", () => {
  const editor = document.activeElement;
  if (editor?.dataset?.field && panel().contains(editor) && editor.value !== (editor.sent ?? editor.defaultValue)) {
    // The next page may be read before the request arrives, so it is told too, and sends it once more.
    edits.last("edit", typed(editor));
    sessionStorage.setItem(`unsent ${url}`, JSON.stringify(typed(editor)));
  }
});
const unsent = sessionStorage.getItem(`unsent ${url}`);
if (unsent) {
  sessionStorage.removeItem(`unsent ${url}`);
  edits.send("edit", JSON.parse(unsent));
}

// -- acts of buttons ----------------------------------------------------------------------------------------

document.addEventListener("htmx:configRequest", ({ detail }) => {
  detail.parameters.record ??= tell.record ?? "";
  detail.parameters.position ??= tell.position ?? 0;
  detail.path += (detail.path.includes("?") ? "&" : "?") + view;
});
// Acts that lead to another record: what is typed until its editors are there would go to nowhere.
const LEADING = "#act-new, #act-remove, #act-undo, #act-redo";
document.addEventListener("htmx:beforeRequest", ({ target }) => {
  if (target.matches?.(LEADING)) panel().inert = true;
});
document.addEventListener("htmx:afterRequest", ({ target }) => {
  if (target.matches?.(LEADING) && !moves) panel().inert = false;
});
// Everything typed has arrived, and the record that the person went to is the current one.
async function settled() {
  while (edits.busy || moves) await Promise.all([edits.idle(), moving]);
}
// An act waits for that: it is about the record that is current when it is pressed.
document.addEventListener(
  "htmx:confirm",
  (event) => {
    if (!(edits.busy || moves) || !desk.contains(event.detail.elt) || event.detail.elt.closest("[data-now]")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const { elt, triggeringEvent } = event.detail;
    settled().then(() => {
      const again = (elt.id && document.getElementById(elt.id)) || elt;
      if (again.matches("form")) again.requestSubmit(triggeringEvent?.submitter);
      else again.click();
    });
  },
  true,
);
// The question before a removal says what goes with the record; it does not wait for that longer than a moment.
desk.addEventListener("htmx:confirm", (event) => {
  const { elt } = event.detail;
  if (elt.id !== "act-remove" || event.defaultPrevented) return;
  event.preventDefault();
  const asked = fetch(`${url}takes?record=${encodeURIComponent(tell.record)}&${view}`, {
    headers: { "HX-Request": "true" },
    signal: AbortSignal.timeout(3500),
  });
  asked
    .then((response) => (response.ok ? response.text() : ""))
    .catch(() => "")
    .then((more) => enlaceAsk([elt.dataset.ask, more].filter(Boolean).join(" "), elt.dataset.yes))
    .then((yes) => yes && event.detail.issueRequest(true));
});
document.addEventListener("keydown", (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.altKey) return;
  const typing = event.target.matches?.("input, textarea, select");
  const key = event.key.toLowerCase();
  if (key === "s") {
    event.preventDefault();
    const back = document.activeElement;
    back?.blur();
    settled().then(() => document.getElementById("act-save")?.click());
    back?.focus?.();
  } else if (!typing && (key === "z" || key === "y")) {
    event.preventDefault();
    document.getElementById(key === "z" && !event.shiftKey ? "act-undo" : "act-redo")?.click();
  }
});

// -- the filter -----------------------------------------------------------------------------------------------

const filter = document.getElementById("filter");
const boxes = document.getElementById("filters");
document.getElementById("act-filter").addEventListener("click", ({ currentTarget }) => {
  const shown = boxes.hidden;
  boxes.hidden = filter.hidden = !shown;
  currentTarget.setAttribute("aria-expanded", shown);
  grid.measure();
  if (shown) boxes.querySelector("input").focus();
});
// Empty boxes stay out of the address; who comes back finds the box that was used last.
filter.addEventListener("submit", (event) => {
  event.preventDefault();
  const asked = new URLSearchParams([...new FormData(filter)].filter(([, said]) => said.trim()));
  sessionStorage.setItem(`filtering ${url}`, document.activeElement.id);
  settled().then(() => location.assign(`?${asked}`));
});
boxes.addEventListener("keydown", (event) => {
  if (event.key === "Escape") event.target.value = event.target.defaultValue;
});
document.getElementById(sessionStorage.getItem(`filtering ${url}`) || "")?.focus();
sessionStorage.removeItem(`filtering ${url}`);
