// The composer: chooses, moves and ties controls. What comes of each act is worked out on the server, which draws it all anew.

import { Idiomorph } from "../vendor/idiomorph.esm.js";
import { drawAhead } from "./ahead.js";
import { codeBoxes } from "./codeboxes.js";
import { HeldKeys } from "./focus.js";
import { inHand, standsForBox, stoodFor } from "./inhand.js";
import { sentAtLast } from "./posting.js";
import "./controls/tabs.js";
import { links } from "./links.js";
import { SettingsCard } from "./settingscard.js";
import { Refused } from "./refused.js";
import { layOut } from "./sheetpage.js";
import { Turns } from "./turns.js";
import { setWidths } from "./widths.js";
import { letterOf } from "./typing.js";

const root = document.getElementById("composer");
const body = () => root.firstElementChild;
const chosen = () => body().dataset.chosen.split(" ").filter(Boolean);
const control = (id) => root.querySelector(`[data-stage] [data-control="${CSS.escape(id)}"]`);
const settings = new SettingsCard(root, { chosen, find: control, leave: () => choose([]) });
const turns = new Turns();
const refused = new Refused(() => chosen().join(" "));

// What is pressed behind an act is for what has come of it: for the copy, not for what was copied.
const keys = new HeldKeys({
  arrived: () => turns.running,
  waiting: () => turns.waiting > 0,
  late: "The sheet has not come yet. What you pressed since then is not done: press it again.",
  pastes: false,
});
let byKeys = false; // who goes on with the mouse sees what is there
document.addEventListener("keydown", () => (byKeys = true), true);
document.addEventListener("pointerdown", () => (byKeys = false), true);

const SEEN = 40; // pixels of a control that tell that it is there

/** An act on what is chosen now, whatever is by the time that its turn comes. box: that somebody typed what it says into. */
function act(name, data = {}, box = "") {
  const ids = chosen().join(" ");
  const done = turns.take(() => post(name, { ids, ...data }, box));
  if (byKeys && !box) keys.until(done);
  return done;
}

/** Move or resize controls on the sheet, drawn there before it is answered. ids: of the controls, with blanks between. */
function take(name, ids, step) {
  const controls = ids.split(" ").map(control).filter(Boolean);
  // Behind an act that is on its way they are drawn by what comes of that.
  if (!turns.waiting) before = drawAhead(controls, step);
  return act(name, { ids, ...step });
}
let before = null; // draws what was drawn ahead as it stood

async function post(name, data, box) {
  const have = JSON.stringify(Object.fromEntries([...root.querySelectorAll("[data-seal]")].map(pieceOf)));
  const sent = { act: name, layout: body().dataset.layout, have, ...data };
  const board = root.querySelector(".boards")?.scrollTop;
  const stage = root.querySelector(".stage")?.scrollTop;
  const response = await sentAtLast(root.dataset.url, sent);
  const html = await response.text();
  const back = before;
  before = null;
  if (!response.ok) {
    back?.();
    if (box) refused.keep(box, data.value, data.ids);
    return enlaceSay(enlaceWords(html), true);
  }
  // Where somebody is by now: who leaves an editor by Tab is in the next one before the answer comes.
  const { id, dataset } = document.activeElement;
  const parts = document.createElement("template");
  parts.innerHTML = html;
  held = inHand();
  // What is the same stays: a press that begins while an answer comes still ends on the same button.
  Idiomorph.morph(body(), parts.content.firstElementChild, { morphStyle: "outerHTML", callbacks: OURS });
  if (name === "add" || name === "bundle") for (const menu of root.querySelectorAll(".adds")) menu.open = false;
  root.querySelector(".boards").scrollTop = board ?? 0;
  root.querySelector(".stage").scrollTop = stage ?? 0;
  for (const tabs of root.querySelectorAll("enlace-tabs"))
    if (!tabs.all.some((tab) => tab.ariaSelected === "true") && tabs.all.length) tabs.open(tabs.all[0]);
  prepare();
  reveal(control(chosen()[0]));
  // Of controls the one that is chosen now: the copy, not what was copied.
  const from = dataset.control === undefined ? id && document.getElementById(id) : null;
  const again = root.querySelector("[data-again]") || from;
  const [first] = chosen();
  if (again) again.focus();
  else if (first) control(chosen().includes(dataset.control) ? dataset.control : first)?.focus({ preventScroll: true });
  else root.querySelector(".stage").focus({ preventScroll: true });
  if (body().dataset.said) enlaceSay(body().dataset.said);
  const address = new URL(location); // what is chosen survives a trial and a reload
  address.searchParams.set("chosen", chosen().join(" "));
  history.replaceState(null, "", address);
}

/** Bring a control into sight: the pages that it lies on are opened. */
function reveal(found) {
  let page = found?.closest(".tab-page[hidden]");
  while (page) {
    const tabs = page.closest("enlace-tabs");
    tabs.open(tabs.all.find((tab) => tab.getAttribute("aria-controls") === page.id));
    page = page.parentElement.closest(".tab-page[hidden]");
  }
  const box = found?.getBoundingClientRect();
  const stage = root.querySelector(".stage").getBoundingClientRect();
  // What shows a stretch of itself stays where it is: a sheet that jumps under the pointer is no help.
  if (box && (box.bottom < stage.top + SEEN || box.top > stage.bottom - SEEN))
    found.scrollIntoView({ block: "nearest" });
}

/** A piece of the page and its seal, by which an answer knows that it need not bring it. */
const PIECE = "piece-";
const pieceOf = ({ id, dataset }) => [id.slice(PIECE.length), dataset.seal];

/** What the page has of an answer already stays, in the place that the answer has for it. */
function stays(node, its) {
  if (its.nodeType !== Node.ELEMENT_NODE || !("same" in its.dataset)) return false;
  if (its.className && node.className !== its.className) node.className = its.className; // a control's place
  return true;
}

let held = null; // what somebody types into
/** What the page itself says of what the server drew, which it would otherwise have to say anew after each act; and whether
 *  what a person opened stays open is theirs to say. */
const PREPARED = ["role", "tabindex", "aria-label", "inert", "style"];
/** Which page of tabs is open is theirs, too. */
const OF_TABS = [
  ["hidden", ".tab-page"],
  ["aria-selected", "[role=tab]"],
];
const OURS = {
  beforeNodeMorphed: (node, its) => node !== held && !node.matches?.("[data-find-strand]") && !stays(node, its),
  beforeAttributeUpdated: (name, node, way) =>
    !(name === "open" && node.matches("details")) &&
    !stoodFor(name, node) &&
    !OF_TABS.some(([its, which]) => its === name && node.matches(which)) &&
    !(way === "remove" && PREPARED.includes(name) && node.closest("[data-stage]")),
  beforeNodeRemoved: (node) => !(standsForBox(node) || (node.nodeType === Node.ELEMENT_NODE && node.matches(".edge"))),
};

/** Make what the desk drew still, and the controls on it choosable. */
function prepare() {
  layOut(root);
  arcs();
  for (const grid of root.querySelectorAll("[data-grid]")) {
    setWidths(grid.querySelector("[data-scroller]"), grid.dataset.widths);
    const rows = grid.querySelector("[data-rows]");
    grid.querySelector("[data-runway]").style.height = `calc(${rows.children.length} * var(--row))`;
    const lines = grid.querySelector("[data-blank-lines]");
    if (lines) lines.style.height = `${Math.max(0, lines.parentElement.clientHeight - lines.offsetTop)}px`;
    if (!rows.children.length) grid.querySelector("[data-empty-note]").hidden = false;
  }
  for (const cards of root.querySelectorAll("[data-cards][data-width]"))
    cards.closest("[data-control]").style.setProperty("--card", `${cards.dataset.width}px`);
  const ids = chosen();
  for (const control of root.querySelectorAll("[data-stage] [data-control]")) {
    const alone = !control.querySelector("[data-control]");
    for (const part of control.children) if (part.inert !== alone) part.inert = alone;
    control.tabIndex = 0;
    control.setAttribute("role", "group");
    control.setAttribute("aria-label", control.dataset.control);
    control.classList.toggle("chosen", ids.includes(control.dataset.control));
    if (!control.classList.contains("control") || control.querySelector(":scope > .edge")) continue;
    const edge = document.createElement("span");
    edge.className = "edge";
    control.append(edge);
  }
  for (const board of root.querySelectorAll("[data-board]")) showStrands(board);
  settings.place();
  codeBoxes(root, root.dataset.styles);
  refused.stand();
}

/** The strands of a board that are looked for, and the control that is chosen in sight. */
function showStrands(board) {
  const wanted = board.querySelector("[data-find-strand]")?.value.trim().toLowerCase() || "";
  for (const name of board.querySelectorAll("[data-drag]")) {
    const found = `${name.textContent} ${name.dataset.drag}`.toLowerCase().includes(wanted);
    name.closest("tr").classList.toggle("elsewhere", !found);
  }
  const crossbar = board.querySelector(".crossbar");
  for (const head of crossbar.querySelectorAll("thead [data-choose]")) {
    const here = chosen().includes(head.dataset.choose);
    if (here && !head.classList.contains("chosen")) {
      const names = crossbar.querySelector("tbody th")?.offsetWidth ?? 0;
      const at = head.closest("th").offsetLeft;
      const [least, most] = [at + head.offsetWidth - crossbar.clientWidth, at - names];
      crossbar.scrollLeft = Math.max(least, Math.min(crossbar.scrollLeft, most));
    }
    head.classList.toggle("chosen", here);
  }
}
root.addEventListener(
  "input",
  ({ target }) => "findStrand" in target.dataset && showStrands(target.closest("[data-board]")),
);

/** Links between sources, as arcs at the edge of the boards: from what belongs to what it belongs to. */
function arcs() {
  const boards = root.querySelector(".boards");
  boards?.querySelector(".arcs")?.remove();
  const several = [...root.querySelectorAll("[data-board]")].filter((board) => board.dataset.parent);
  if (!several.length) return;
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("class", "arcs");
  svg.setAttribute("aria-hidden", "true");
  svg.setAttribute("height", boards.scrollHeight);
  const middle = (board) => board.offsetTop + 14;
  for (const board of several) {
    const above = root.querySelector(`[data-board="${CSS.escape(board.dataset.parent)}"]`);
    if (!above) continue;
    const [from, to] = [middle(above), middle(board)];
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
    path.setAttribute("d", `M14 ${from} C2 ${from}, 2 ${to}, 14 ${to}`);
    svg.append(path);
  }
  boards.append(svg);
}

function choose(ids, more = false) {
  const now = chosen();
  const next = more ? (now.includes(ids[0]) ? now.filter((id) => id !== ids[0]) : [...now, ...ids]) : ids;
  body().dataset.chosen = next.join(" ");
  act("show", { ids: next.join(" ") });
}

// -- acts of the board, the card and the bar -------------------------------------------------------------------

root.addEventListener("click", (event) => {
  const near = (selector) => event.target.closest(selector);
  const adds = near("[data-add]");
  const cross = near("[data-cross]");
  const button = near("[data-act]");
  const resets = near("[data-reset]");
  if (adds) {
    const source = adds.dataset.source || document.getElementById("add-source").value;
    const into = chosen().length === 1 && holds(control(chosen()[0])) ? chosen()[0] : "";
    act("add", { kind: adds.dataset.add, source, field: adds.dataset.field || "", into });
  } else if (cross) act("cross", { control: cross.dataset.cross, field: cross.dataset.field });
  else if (near("[data-bundle]")) {
    const into = chosen().length === 1 && holds(control(chosen()[0])) ? chosen()[0] : "";
    act("bundle", {
      kind: near("[data-bundle]").dataset.bundle,
      source: document.getElementById("add-source").value,
      into,
    });
  } else if (near("[data-copy]")) copy(near("[data-copy]").dataset.copy);
  else if (near("[data-paste]")) paste();
  else if (near("[data-again]")) {
    const { act: name, ...data } = JSON.parse(near("[data-again]").dataset.again);
    act(name, data);
  } else if (near("[data-opening-remove]"))
    act("opening", { remove: near("[data-opening-remove]").dataset.openingRemove });
  else if (near("[data-opening-add]")) {
    const [value, field, typed, failing] = ["step", "field", "value", "failing"].map(
      (name) => document.getElementById(`opening-${name}`).value,
    );
    const [step, fixed] = value.split(":");
    act("opening", { step, field, value: fixed || typed, failing });
  } else if (near("button[data-column-change]")) column(near("button[data-column-change]"), "");
  else if (near("[data-choose]")) choose([near("[data-choose]").dataset.choose]);
  else if (near("[data-repair]")) {
    const { repair, of } = near("[data-repair]").dataset;
    act("repair", { sentence: repair, control: of });
  } else if (near("[data-detail]")) {
    const source = near("[data-detail]").dataset.detail;
    act("detail", { source, reference: document.getElementById(`under-${source}`).value });
  } else if (near("[data-join]")) act("join", { name: document.getElementById("join").value });
  else if (near("[data-without]")) {
    const { without, question } = near("[data-without]").dataset;
    enlaceAsk(question, "Remove").then((yes) => yes && act("without", { source: without }));
  } else if (resets)
    act("set", { name: resets.dataset.reset, value: resets.dataset.default === "[]" ? "" : resets.dataset.default });
  else if (button) act(button.dataset.act, button.dataset.how ? { how: button.dataset.how } : {});
});
root.addEventListener("change", ({ target }) => {
  refused.drop(target);
  if (target.dataset.set) {
    const value = target.type === "checkbox" ? (target.checked ? "yes" : "") : target.value;
    target.sent = target.value;
    act("set", { name: target.dataset.set, value }, target.id);
  }
  if ("dock" in target.dataset && target.value) act("dock", { side: target.value });
  if (target.dataset.columnChange)
    column(target, target.type === "checkbox" ? (target.checked ? "yes" : "") : target.value);
  const source = document.getElementById("card-source")?.value;
  if ("tieSource" in target.dataset) act("tie", { source, field: "" });
  if ("tieField" in target.dataset) act("tie", { source, field: target.value });
});
/** Change one column of the chosen grid. */
function column(editor, value) {
  const { column: field } = editor.closest("[data-column]").dataset;
  act("column", { field, change: editor.dataset.columnChange, value }, editor.id);
}
const COPIED = "enlace-controls"; // other forms of this browser paste it, where the clipboard can't be read
function copy(text) {
  localStorage.setItem(COPIED, text);
  navigator.clipboard?.writeText(text).catch(() => {});
  enlaceSay("Copied. Paste it here or on another form.");
}
async function paste() {
  const clipboard = (await navigator.clipboard?.readText().catch(() => "")) || "";
  const controls = clipboard.includes('"controls"') ? clipboard : localStorage.getItem(COPIED);
  if (!controls) return enlaceSay("Nothing was copied yet. Choose a control and press Copy.");
  const into = chosen().length === 1 && holds(control(chosen()[0])) ? chosen()[0] : "";
  return act("paste", { controls, into });
}
const holds = (control) => control && (control.dataset.kind === "group" || control.classList.contains("tab-page"));

// -- the sheet: choose, drag, resize ---------------------------------------------------------------------------

/** The size of a cell of the sheet that a control lies on. */
function cell(control) {
  const sheet = control.closest("[data-sheet]");
  const style = getComputedStyle(sheet);
  const gap = parseFloat(style.columnGap) || 0;
  const width = (sheet.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight) + gap) / 12;
  return { width, height: 36 + (parseFloat(style.rowGap) || 0) };
}
let drag = null;
root.addEventListener("pointerdown", (event) => {
  const control = event.target.closest("[data-stage] [data-control]");
  if (!control || event.button !== 0) return;
  const id = control.dataset.control;
  drag = {
    control,
    id,
    x: event.clientX,
    y: event.clientY,
    size: event.target.classList.contains("edge"),
    more: event.shiftKey || event.ctrlKey,
  };
  if (control.classList.contains("control")) control.setPointerCapture(event.pointerId);
});
root.addEventListener("pointermove", (event) => {
  if (!drag?.control.classList.contains("control")) return;
  const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
  if (Math.abs(dx) + Math.abs(dy) < 6 && !drag.moving) return;
  drag.moving = true;
  const { width, height } = cell(drag.control);
  drag.cells = [Math.round(dx / width), Math.round(dy / height)];
  drag.control.classList.add("dragged");
  if (!drag.size) drag.control.style.transform = `translate(${drag.cells[0] * width}px, ${drag.cells[1] * height}px)`;
});
root.addEventListener("pointerup", () => {
  const done = drag;
  drag = null;
  if (!done) return;
  if (!done.moving) return choose([done.id], done.more);
  const ids = chosen().includes(done.id) ? chosen().join(" ") : done.id;
  const [dx, dy] = done.cells;
  if (!dx && !dy) return act("show", { ids });
  done.control.style.transform = "";
  if (done.size) take("resize", ids, { dw: dx, dh: dy });
  else take("move", ids, { dx, dy });
});

// A strand dragged onto the sheet becomes an editor where it is let go.
root.addEventListener("dragstart", (event) => {
  const { drag: field, source, dragRecords: records, dragDetail: detail } = event.target.dataset || {};
  const told = field ? { field, source } : records ? { records } : detail ? { detail } : null;
  if (told) event.dataTransfer.setData("text/plain", JSON.stringify(told));
});
root.addEventListener("dragover", (event) => {
  const stage = event.target.closest("[data-stage]");
  if (!stage) return;
  event.preventDefault();
  stage.classList.add("dropping");
});
root.addEventListener("dragleave", (event) => event.target.closest("[data-stage]")?.classList.remove("dropping"));
root.addEventListener("drop", (event) => {
  const stage = event.target.closest("[data-stage]");
  if (!stage) return;
  event.preventDefault();
  const into = event.target.closest('.tab-page, [data-kind="group"]');
  const sheet = into ? into.querySelector("[data-sheet]") : stage;
  const box = sheet.getBoundingClientRect();
  const { width, height } = cell(sheet.firstElementChild || sheet);
  let told;
  try {
    told = JSON.parse(event.dataTransfer.getData("text/plain"));
  } catch {
    return;
  }
  if (told.records) return act("bundle", { kind: "grid", source: told.records, into: into?.dataset.control || "" });
  if (told.detail)
    return act("detail", { source: told.detail, reference: document.getElementById(`under-${told.detail}`).value });
  const x = Math.max(1, Math.floor((event.clientX - box.left) / width) + 1);
  const y = Math.max(1, Math.floor((event.clientY - box.top) / height) + 1);
  act("add", { kind: "editor", ...told, into: into?.dataset.control || "", x, y });
});

links(root, act);

// -- keys ----------------------------------------------------------------------------------------------------

root.addEventListener("keydown", (event) => {
  const typing = event.target.matches("input, textarea, select");
  const ctrl = event.ctrlKey || event.metaKey;
  const key = letterOf(event);
  if (!typing && ctrl && (key === "Z" || key === "Y")) {
    event.preventDefault();
    return act(key === "Z" && !event.shiftKey ? "undo" : "redo");
  }
  if (!typing && ctrl && key === "V") {
    event.preventDefault();
    return keys.until(paste());
  }
  const control = event.target.closest("[data-stage] [data-control]");
  if (!control || typing) return;
  if (ctrl && key === "C" && chosen().length && !String(getSelection())) {
    event.preventDefault();
    return copy(root.querySelector("[data-copy]").dataset.copy);
  }
  const id = control.dataset.control;
  const ids = chosen().includes(id) ? chosen().join(" ") : id;
  const steps = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const step = steps[event.key];
  if (step) {
    event.preventDefault();
    const [x, y] = step;
    if (event.shiftKey) take("resize", ids, { dw: x, dh: y });
    else take("move", ids, { dx: x, dy: y });
  } else if (event.key === "Delete") {
    event.preventDefault();
    act("remove", { ids });
  } else if (ctrl && key === "D") {
    event.preventDefault();
    act("duplicate", { ids });
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    choose([id], event.shiftKey);
  } else if (event.key === "Escape") choose([]);
});
prepare();
