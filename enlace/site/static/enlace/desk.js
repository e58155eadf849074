// The desk: holds the sources of the page together; what is typed goes out through Edits, in order.

import { asking } from "./asking.js";
import { Beforehand } from "./beforehand.js";
import { boxed } from "./boxed.js";
import { Choices } from "./choices.js";
import { DeskAddress } from "./deskaddress.js";
import { DeskKeys, FIRST } from "./deskkeys.js";
import { apply, Edits } from "./edits.js";
import { formsMenu } from "./formsmenu.js";
import { HeldKeys, stopOf } from "./focus.js";
import { lacks } from "./lacks.js";
import { heard } from "./reach.js";
import { renewRow } from "./renewrow.js";
import { FRAGMENT, LAST, Source, wayTo } from "./source.js";
import "./sheetpage.js";
import { letterOf } from "./typing.js";

const desk = document.getElementById("desk");
const page = { each: "each" in desk.dataset, edits: new Edits(), settled, source: named, below, places: placesNow };
page.choices = new Choices(document.getElementById("choices"), (input) => {
  const source = sourceOf(input);
  return { url: source.url, view: source.view, record: input.dataset.record || source.panel?.dataset.record };
});
page.choices.leave = (address) => settled().then(() => location.assign(address));
const { edits, choices } = page;
page.beforehand = new Beforehand(
  async (address, signal) => {
    const response = await fetch(address, { ...FRAGMENT, priority: "low", signal });
    if (!response.ok || response.redirected) throw response; // whoever comes for it asks again, and is told
    return { response, html: await response.text() };
  },
  () => edits.count,
);
// What buttons do, and what the page hears of other windows, may be about that record as well.
document.addEventListener("htmx:afterRequest", ({ detail: { xhr } }) => xhr.status === 204 || page.beforehand.drop());
const sources = new Map();
for (const holder of desk.querySelectorAll("[data-source]")) {
  const source = new Source(holder, page);
  sources.set(source.p, source);
}
const main = sources.get("");
page.address = new DeskAddress(main, places);
formsMenu(desk.querySelector("[data-forms]"));
for (const control of desk.querySelectorAll("enlace-grid")) sourceOf(control).showIn(control);

/** The source that an element belongs to; the main one for what belongs to none. */
function sourceOf(element) {
  const of = element?.closest?.("[data-of]")?.dataset.of;
  return (of && sources.get(of.slice(2))) || main;
}
/** A source by the name of its part. */
function named(part) {
  return [...sources.values()].find((source) => source.part === part);
}
/** What belongs to a source, to any depth. */
function below(source) {
  const under = [...sources.values()].filter((child) => child !== source && child.p && child.under === source.part);
  return under.flatMap((child) => [child, ...below(child)]);
}
/** Where the page stands in what belongs to a source. more(source): what else to say of each. */
function places(source, more = () => null) {
  const several = below(source);
  if (!several.length) return "";
  const stands = ({ record, view, under }) => ({ record: record || "", view, master: named(under)?.record || "" });
  return JSON.stringify(Object.fromEntries(several.map((one) => [one.part, { ...stands(one), ...more(one) }])));
}
/** The same for an answer that shows it again, which leaves out what nobody sees. */
function placesNow(source) {
  return places(source, (one) => one.state);
}
const moving = () => [...sources.values()].some((source) => source.moves);
// Acts of buttons under way: the next one waits for them, since it is about what comes of them.
let acting = 0;
// Those that lead to another record: what is typed until its editors are there would go to nowhere.
const LEADING = "[id$=act-new], [id$=act-remove], #act-undo, #act-redo";
document.addEventListener("htmx:beforeRequest", ({ target, detail }) => {
  if (detail.requestConfig.verb !== "post") return;
  const leading = target.matches(LEADING) ? sourceOf(target) : null;
  acting += 1;
  leading?.still(true);
  if (leading) page.hold(arrived());
  // The request itself says when it ended: its button may be gone by then, replaced by another answer.
  detail.xhr.addEventListener("loadend", () => {
    acting -= 1;
    if (leading && !leading.moves) leading.still(false);
  });
});
const busy = () => edits.busy || moving() || acting > 0;
/** The records that somebody went to are there. */
async function arrived() {
  while (moving() || acting) {
    await Promise.all([...sources.values()].map((source) => source.moving));
    if (acting) await new Promise((later) => setTimeout(later, 15));
  }
}
// Everything typed has arrived, and the record that the person went to is the current one.
async function settled() {
  while (busy()) {
    await edits.idle();
    await arrived();
  }
}

asking(sourceOf);
boxed(sourceOf);
lacks((element) => sourceOf(element).isEditor(element));

// -- acts --------------------------------------------------------------------------------------------------

document.addEventListener("click", (event) => {
  const source = sourceOf(event.target);
  const near = (selector) => event.target.closest(selector);
  const by = (id) => document.getElementById(id || "");
  const pick = near("[data-pick]");
  if (pick) pickDate(by(pick.dataset.pick));
  const opens = by(near("[data-open-choices]")?.dataset.openChoices);
  if (opens) {
    opens.focus();
    choices.open ? choices.close() : choices.show(opens, "");
  }
  const empties = by(near("[data-empty-choice]")?.dataset.emptyChoice);
  if (empties) {
    empties.focus();
    empties.value = "";
    delete empties.dataset.choice;
    empties.dispatchEvent(new Event("change", { bubbles: true }));
  }
  if (near("[data-close-groups]")) {
    document.getElementById("groups").replaceChildren();
    here().grid?.focus();
  }
  const clear = near("[data-clear]");
  if (clear) source.send("picture", { record: source.record, field: clear.dataset.clear });
  const empty = near("[data-empty]");
  if (empty) {
    const { record, position } = source.panel.dataset;
    source.send("empty", { record, position, field: empty.dataset.empty, to: empty.dataset.to });
  }
  if (event.target.id === `${source.p}read-anew`) {
    source.move(`record?record=${encodeURIComponent(source.record)}&anew=1`);
    reload(source);
  }
});
// What controls want.
const wants = (name, act) =>
  document.addEventListener(`wants:${name}`, ({ target, detail }) => act(sourceOf(target), detail));
wants("go", (source, { position, number, step }) => {
  if (step !== undefined) return source.step(step);
  return number === undefined ? source.goTo(position) : source.move(`at?number=${encodeURIComponent(number)}`);
});
// Beyond what a control shows: what is pressed behind it is for what it shows by then.
wants("beyond", (source, { position }) => page.hold(source.goTo(position).then(() => source.renewed)));
wants("record", (source, { id, position }) => source.move(wayTo(id, position), 0, Number(position)));
wants("fold", (source, data) => source.fold(data));
wants("refresh", (source) => refresh(source));
// A page of tabs is open: what nobody asked for before is now.
wants("opened", () => {
  for (const source of sources.values()) if (source.unread && !source.closed) keys.held.until(source.read());
});
wants("renew", (source, { id }) => {
  source.renewed = source.renew(id);
});
wants("join", (source, { joined }) => joined(source, choices));
wants("filter", (source, { button }) => openFilter(source, button));
wants("run", (source, asked) => run(source, asked));
wants("arrange", async (source, { asked, back }) => {
  await source.arrange(asked);
  if (!back) return;
  const box = document.getElementById(back);
  if (box?.checkVisibility()) box.focus();
  else source.grid?.focus(); // boxes that say nothing are put away
});
function reload(source) {
  for (const grid of source.grids) grid.load();
}
function refresh(source) {
  source.move(`at?position=${source.position ?? 0}&anew=1`);
  reload(source);
}
/** The act of a button on the sheet. */
function run(source, { act, action, to }) {
  const press = (id) => document.getElementById(id)?.click();
  if (act === "next" || act === "back") return source.step(act === "next" ? 1 : -1);
  if (act === "first" || act === "last") return source.goTo(act === "first" ? 0 : LAST);
  if (act === "refresh") return refresh(source);
  if (act === "go") return goToControl(to);
  if (act === "close")
    return settled().then(() => location.assign(document.querySelector("[data-way-back]")?.href || "/desk/"));
  if (act === "print") return settled().then(() => window.print());
  if (act === "action") return press(`${source.p}action-${action}`);
  if (act === "new" || act === "remove") {
    if (source.el(`act-${act}`)) return press(`${source.p}act-${act}`);
    return settled().then(() => withRecord(source, act));
  }
  if (act === "rehearse") return settled().then(() => document.getElementById("rehearse")?.requestSubmit());
  if (document.getElementById(`act-${act}`)) return press(`act-${act}`);
  enlaceSay("Nothing is pending.");
}
async function withRecord(source, act) {
  const data = { record: source.record ?? "", position: source.position };
  const sure = act === "new" || (await enlaceAsk("Remove this record? It stays in view until you save.", "Remove"));
  if (sure) source.send(act, data);
}
/** The first thing of a control that can be used; its page of tabs is opened first. */
function goToControl(id) {
  const control = document.querySelector(`[data-control="${CSS.escape(id)}"]`);
  if (!control) return enlaceSay("That control is not on the sheet any more.");
  openPagesOf(control);
  arrived().then(() => (stopOf(control) || control).focus());
}
/** Open the pages of tabs that something lies on. */
function openPagesOf(element) {
  for (let page = element.closest("[role=tabpanel]"); page; page = page.parentElement.closest("[role=tabpanel]"))
    if (page.hidden) document.getElementById(page.getAttribute("aria-labelledby"))?.click();
}
document.addEventListener("submit", (event) => {
  if (event.target.id === "rehearse" && busy()) {
    event.preventDefault();
    settled().then(() => document.getElementById("rehearse")?.submit());
  }
});
function openFilter(source, button) {
  const boxes = source.el("filters");
  if (!boxes) return;
  const shown = boxes.hidden;
  boxes.hidden = !shown;
  source.el("filter").hidden = !shown;
  button.setAttribute("aria-expanded", shown);
  source.grids[0].measure();
  if (shown) boxes.querySelector("input").focus();
}

// -- what others change meanwhile ---------------------------------------------------------------------------

// Another window of the same person shares the draft; somebody else may have changed the current record.
const PULSE = 4000;
let revision = Number(desk.dataset.revision || 0);
async function pulse() {
  if (document.hidden || busy() || pulse.asking) return;
  pulse.asking = true;
  const { count } = edits;
  const known = revision;
  try {
    const asked = new URLSearchParams({
      revision,
      record: main.record || "",
      position: main.position || 0,
      seen: main.panel?.dataset.seen || "",
    });
    const response = await heard(fetch(main.address(`pulse?${asked}`), { headers: { "HX-Request": "true" } }), {
      proves: true,
    });
    if (response.status !== 200 || busy() || edits.count !== count || revision !== known) return;
    // What is being typed stays: the editors are read anew once somebody moves.
    const typing = [...sources.values()]
      .filter((source) => source.typing)
      .map((source) => `#${CSS.escape(`${source.p}panel`)}`);
    apply(await response.text(), response, typing.join(", ") || null);
  } catch {
    // Away: the badge says so, and the next act.
  } finally {
    pulse.asking = false;
  }
}
document.addEventListener("enlace:reached", () => {
  for (const source of sources.values()) source.reached();
});
setInterval(pulse, PULSE);
window.addEventListener("focus", pulse);
document.addEventListener("visibilitychange", pulse);

// -- what the server tells ----------------------------------------------------------------------------------

const at = (detail) => sources.get(detail.p || "") || main;
document.addEventListener("enlace:draft", ({ detail }) => {
  if (revision !== detail.revision) countAnew();
  revision = detail.revision;
});
document.addEventListener("enlace:saved", countAnew);
/** What stands below the grids counts the draft in. */
function countAnew() {
  for (const source of sources.values()) if (!source.empty) for (const grid of source.grids) grid.renewed();
}
document.addEventListener("enlace:drift", ({ detail }) => {
  const { panel } = at(detail);
  if (panel?.dataset.record === detail.record) panel.dataset.seen = detail.seen;
});
document.addEventListener("enlace:current", ({ detail }) => {
  const source = at(detail);
  source.current(detail);
  if (source !== main) return void (source.unread || page.address.keep({ places: true }));
  const errand = document.querySelector("#errand [name=record]");
  if (errand) errand.value = detail.id;
  const deep = new URL(location).searchParams.has("places");
  page.address.keep({ record: detail.id, ...(deep && { places: true }) });
});
document.addEventListener("enlace:total", ({ detail }) => {
  const source = at(detail);
  for (const grid of source.grids) grid.setTotal(detail.total);
  if ("records" in detail) for (const control of source.controls) control.counted?.(detail.records, detail.words);
});
document.addEventListener("enlace:passing", ({ detail }) => {
  const place = at(detail).el("sentence")?.querySelector("[data-passing]");
  if (place) place.textContent = `· ${detail.words}`;
});
// What the address shared is the person's own arrangement by now.
document.addEventListener("enlace:adopted", () => {
  for (const source of sources.values()) {
    const view = new URLSearchParams(source.view);
    view.delete("arranged");
    source.view = view.toString();
    for (const grid of source.grids) grid.view = source.view;
  }
  page.address.adopted();
});
document.addEventListener("enlace:go", ({ detail }) => location.replace(detail.to));
document.addEventListener("enlace:stale", ({ detail }) => reload(at(detail)));
// Once the editors are there and may be typed into; without a number it is the first one with something wrong.
document.addEventListener("enlace:focus", ({ detail }) => page.hold(focusEditor(at(detail), detail.number)));
async function focusEditor(source, number) {
  await settled();
  if (number !== undefined) return source.el(`e-${number}`)?.focus();
  const shows = source.controls.find((control) => control.matches("[data-kind=panel]")) ?? source.controls[0];
  if (shows) openPagesOf(shows);
  await settled();
  const wrong = source.controls.map((control) => control.querySelector(FAULTY)).find(Boolean);
  if (wrong) wrong.focus();
  else source.grid?.focus();
  (wrong ?? source.grid?.root)?.scrollIntoView({ block: "nearest" });
}
document.addEventListener("enlace:calculated", ({ detail }) => {
  const source = at(detail);
  if (source.panel?.dataset.record === detail.record) source.showOthers(detail.others);
});
document.addEventListener("enlace:noted", ({ detail }) => at(detail).told(detail));
document.addEventListener("enlace:source", ({ detail: { told, rows, further } }) =>
  sources.get(told.p)?.stand(told, rows, further),
);
document.addEventListener("enlace:grid", ({ detail }) => {
  const control = document.getElementById(`${detail.p}grid`)?.closest("enlace-grid");
  if (control) sourceOf(control).showIn(control, detail.html);
});

// Calculated fields follow what is typed, before anything of it is kept.
let glimpse = null;
desk.addEventListener("input", ({ target }) => {
  const source = sourceOf(target);
  if (!source.computed || !source.isEditor(target) || Choices.fits(target)) return;
  clearTimeout(glimpse);
  glimpse = setTimeout(async () => {
    const { record } = source.panel.dataset;
    const { value } = target;
    const asked = new URLSearchParams({ record, field: target.dataset.field, value });
    try {
      const response = await fetch(`${source.url}preview?${asked}&${source.view}`, {
        headers: { "HX-Request": "true" },
      });
      const same =
        source.panel.dataset.record === record && document.activeElement === target && target.value === value;
      if (response.ok && same) source.showOthers(await response.json());
    } catch {
      // Away: what was typed is sent as soon as it is back.
    }
  }, 250);
});
// Fragments replace rows and buttons; the focus must not get lost with them.
let last = null;
let outside = null; // what had it last outside of dialogs
let within = ""; // where it was: what is taken off the page tells that no more
const PLACES = [".settle", ".panel"];
const FAULTY = ".field:has(.note:is(.wrong, .missing)) :is(input, select, textarea)";
document.addEventListener("focusin", ({ target }) => {
  last = target;
  within = PLACES.find((place) => target.closest(place)) ?? "";
  if (!target.closest("dialog")) outside = target;
});
// A dialog gives the focus back to where it was: where that came anew meanwhile, to what stands in its place.
document.addEventListener(
  "close",
  ({ target }) => {
    const { activeElement } = document;
    if (activeElement !== document.body && !target.contains(activeElement)) return;
    activeElement.blur(); // it is hidden, which the browser finds out later
    last = outside;
    refocus();
  },
  true,
);
document.addEventListener("htmx:oobBeforeSwap", ({ detail }) => {
  const { target, fragment } = detail;
  if (rowRenewed(target, fragment.querySelector?.(".record") || fragment)) detail.shouldSwap = false;
});
document.addEventListener("enlace:part", (event) => {
  if (rowRenewed(event.target, event.detail)) event.preventDefault();
});
/** Renew a row of a grid; whether it is one. */
function rowRenewed(row, made) {
  if (!row?.matches?.("[data-rows] > .record") || !made.matches?.(".record")) return false;
  const source = sourceOf(row);
  renewRow(row, made, source.gridOf(row.closest("enlace-grid"))?.editing);
  for (const grid of source.grids) grid.mark();
  return true;
}
new MutationObserver(refocus).observe(desk, { childList: true, subtree: true });
function refocus() {
  if (document.activeElement !== document.body || !last || document.contains(last)) return;
  const again = last.id && document.getElementById(last.id);
  const mark = /^[a-z][a-z0-9_]*--/; // in front of every id of a source beside the main one
  const p = last.id?.match(mark)?.[0] || last.closest?.("[id]")?.id.match(mark)?.[0] || "";
  const source = sources.get(p) || main;
  if (again && !again.disabled) again.focus();
  else if (last.matches?.('[role="gridcell"], .record *')) source.grid?.focus();
  else if (last.closest?.(".rail")) source.el("go-number")?.focus();
  else if (last.closest?.("#strip")) {
    // After a save or a discard people go on with the records.
    const next = document.querySelector("#strip button:not(:disabled)");
    if (next) next.focus();
    else if (source.grid) source.grid.focus();
    else document.querySelector(FIRST)?.focus();
  }
  // What is settled is saved next; who was among the editors goes on with those of the record that is there now.
  else if (within) {
    const save = within === ".settle" && document.getElementById("act-save");
    (save || source.panel?.querySelector(FIRST) || source.el("go-number"))?.focus();
  }
  for (const grid of source.grids) grid.mark();
}

// -- editing beside the grid --------------------------------------------------------------------------------

desk.addEventListener("change", (event) => {
  const editor = event.target;
  const source = sourceOf(editor);
  if (editor.dataset.picture && editor.files.length) {
    const data = { record: source.panel.dataset.record, field: editor.dataset.picture, file: editor.files[0] };
    return source.send("picture", data);
  }
  if (source.isEditor(editor)) source.sendTyped(editor);
});
desk.addEventListener("input", ({ target }) => Choices.fits(target) && choices.typed(target));
desk.addEventListener("enlace:chosen", ({ target }) => {
  const source = sourceOf(target);
  if (source.isEditor(target)) source.sendTyped(target);
  else target.finish?.(); // a cell
});
desk.addEventListener("keydown", (event) => {
  const editor = event.target;
  const source = sourceOf(editor);
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
const kept = `unsent ${main.url}`;
window.addEventListener("pagehide", () => {
  const editor = document.activeElement;
  const source = sourceOf(editor);
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

// -- acts of buttons ----------------------------------------------------------------------------------------

document.addEventListener("htmx:configRequest", ({ detail }) => {
  const source = sourceOf(detail.elt);
  detail.parameters.record ??= source.record ?? "";
  detail.parameters.position ??= source.position ?? 0;
  const there = placesNow(source);
  if (there) detail.parameters.places = there;
  detail.path += (detail.path.includes("?") ? "&" : "?") + source.view;
});
// An act waits for what is under way: it is about the record that is current when it is pressed.
document.addEventListener(
  "htmx:confirm",
  (event) => {
    if (!busy() || !desk.contains(event.detail.elt) || event.detail.elt.closest("[data-now]")) return;
    if (event.detail.verb === "get") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    const { elt, triggeringEvent } = event.detail;
    const done = settled().then(() => {
      const again = (elt.id && document.getElementById(elt.id)) || elt;
      if (again.matches("form")) again.requestSubmit(triggeringEvent?.submitter);
      else again.click();
    });
    if (elt.matches(LEADING)) page.hold(done);
  },
  true,
);
// The question before a removal says what goes with the record; it does not wait for that longer than a moment.
desk.addEventListener("htmx:confirm", (event) => {
  const { elt } = event.detail;
  if (!elt.id.endsWith("act-remove") || event.defaultPrevented) return;
  event.preventDefault();
  const source = sourceOf(elt);
  const asked = fetch(`${source.url}takes?record=${encodeURIComponent(source.record)}&${source.view}`, {
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
  const typing = event.target.matches?.("input:not([type='range']), textarea, select");
  const key = letterOf(event);
  if (key === "S") {
    event.preventDefault();
    const back = document.activeElement;
    back?.blur();
    if ("trying" in desk.dataset) settled().then(() => document.getElementById("rehearse")?.requestSubmit());
    else settled().then(() => run(main, { act: "save" }));
    back?.focus?.();
  } else if (!typing && (key === "Z" || key === "Y")) {
    event.preventDefault();
    document.getElementById(key === "Z" && !event.shiftKey ? "act-undo" : "act-redo")?.click();
  }
});
const here = () => sourceOf(document.activeElement);
function like(source) {
  const record = source.standing;
  if (!record) return enlaceSay("There is no record to make one like.");
  source.send("new", { like: 1, record, position: source.position });
}
const keys = new DeskKeys(document.getElementById("keys"), {
  here,
  sources,
  run,
  like,
  held: new HeldKeys({ arrived }),
});
page.hold = (done, event = null) => keys.held.until(done, event);
page.choices.hold = page.hold;
if ("opensNew" in desk.dataset) main.send("new", { record: main.record ?? "", position: main.position });
document.getElementById("act-keys")?.addEventListener("click", () => keys.list());
desk.dataset.ready = ""; // from here on the page does what is pressed
