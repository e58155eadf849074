// The composer: chooses, moves and ties controls. What comes of each act is worked out on the server, which draws it all anew.

import { token } from "./edits.js";
import { layOut } from "./sheetpage.js";

const root = document.getElementById("composer");
const body = () => root.firstElementChild;
const chosen = () => body().dataset.chosen.split(" ").filter(Boolean);
const control = (id) => root.querySelector(`[data-stage] [data-control="${CSS.escape(id)}"]`);
let running = Promise.resolve();

function act(name, data = {}) {
  running = running.then(() => post(name, data));
  return running;
}

async function post(name, data) {
  const form = new FormData();
  const sent = { act: name, layout: body().dataset.layout, ids: chosen().join(" "), ...data };
  for (const [key, value] of Object.entries(sent)) form.append(key, value);
  const board = root.querySelector(".boards")?.scrollTop;
  const stage = root.querySelector(".stage")?.scrollTop;
  const { id } = document.activeElement;
  let response;
  try {
    response = await fetch(root.dataset.url, {
      method: "POST",
      body: form,
      headers: { "X-CSRFToken": token(), "HX-Request": "true" },
    });
  } catch {
    return enlaceSay("Enlace can't be reached just now. Try again in a moment.", true);
  }
  const html = await response.text();
  if (!response.ok) return enlaceSay(enlaceWords(html), true);
  root.innerHTML = html;
  root.querySelector(".boards").scrollTop = board ?? 0;
  root.querySelector(".stage").scrollTop = stage ?? 0;
  prepare();
  const again = id && document.getElementById(id);
  if (again) again.focus();
  else if (chosen().length) control(chosen()[0])?.focus({ preventScroll: true });
  else root.querySelector(".stage").focus({ preventScroll: true });
  if (body().dataset.said) enlaceSay(body().dataset.said);
}

/** Make what the desk drew still, and the controls on it choosable. */
function prepare() {
  layOut(root);
  for (const grid of root.querySelectorAll("[data-grid]")) {
    grid.querySelector("[data-scroller]").style.setProperty("--columns", `28px ${grid.dataset.widths}`);
    const rows = grid.querySelector("[data-rows]");
    grid.querySelector("[data-runway]").style.height = `${rows.children.length * 30}px`;
    if (!rows.children.length) grid.querySelector("[data-empty-note]").hidden = false;
  }
  const ids = chosen();
  for (const one of root.querySelectorAll("[data-stage] [data-control]")) {
    if (!one.querySelector("[data-control]")) for (const part of one.children) part.inert = true;
    one.tabIndex = 0;
    one.setAttribute("role", "group");
    one.setAttribute("aria-label", one.dataset.control);
    one.classList.toggle("chosen", ids.includes(one.dataset.control));
    if (!one.classList.contains("control")) continue;
    const edge = document.createElement("span");
    edge.className = "edge";
    one.append(edge);
  }
}

function choose(ids, more = false) {
  const now = chosen();
  const next = more ? (now.includes(ids[0]) ? now.filter((one) => one !== ids[0]) : [...now, ...ids]) : ids;
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
  else if (near("[data-choose]")) choose([near("[data-choose]").dataset.choose]);
  else if (near("[data-repair]")) act("repair", { sentence: near("[data-repair]").dataset.repair });
  else if (near("[data-detail]")) {
    const source = near("[data-detail]").dataset.detail;
    act("detail", { source, reference: document.getElementById(`under-${source}`).value });
  } else if (resets)
    act("set", { name: resets.dataset.reset, value: resets.dataset.default === "[]" ? "" : resets.dataset.default });
  else if (button) act(button.dataset.act, button.dataset.how ? { how: button.dataset.how } : {});
});
root.addEventListener("change", ({ target }) => {
  if (target.dataset.set) {
    const value = target.type === "checkbox" ? (target.checked ? "yes" : "") : target.value;
    act("set", { name: target.dataset.set, value });
  }
  if ("opening" in target.dataset) act("opening", { value: target.value });
  const source = document.getElementById("card-source")?.value;
  if ("tieSource" in target.dataset) act("tie", { source, field: "" });
  if ("tieField" in target.dataset) act("tie", { source, field: target.value });
});
const holds = (one) => one && (one.dataset.kind === "group" || one.classList.contains("tab-page"));

// -- the sheet: choose, drag, resize ---------------------------------------------------------------------------

/** The size of a cell of the sheet that a control lies on. */
function cell(one) {
  const sheet = one.closest("[data-sheet]");
  const style = getComputedStyle(sheet);
  const gap = parseFloat(style.columnGap) || 0;
  const width = (sheet.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight) + gap) / 12;
  return { width, height: 36 + (parseFloat(style.rowGap) || 0) };
}
let drag = null;
root.addEventListener("pointerdown", (event) => {
  const one = event.target.closest("[data-stage] [data-control]");
  if (!one || event.button !== 0) return;
  const id = one.dataset.control;
  drag = {
    one,
    id,
    x: event.clientX,
    y: event.clientY,
    size: event.target.classList.contains("edge"),
    more: event.shiftKey || event.ctrlKey,
  };
  if (one.classList.contains("control")) one.setPointerCapture(event.pointerId);
});
root.addEventListener("pointermove", (event) => {
  if (!drag?.one.classList.contains("control")) return;
  const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
  if (Math.abs(dx) + Math.abs(dy) < 6 && !drag.moving) return;
  drag.moving = true;
  const { width, height } = cell(drag.one);
  drag.cells = [Math.round(dx / width), Math.round(dy / height)];
  drag.one.classList.add("dragged");
  if (!drag.size) drag.one.style.transform = `translate(${drag.cells[0] * width}px, ${drag.cells[1] * height}px)`;
});
root.addEventListener("pointerup", () => {
  const done = drag;
  drag = null;
  if (!done) return;
  if (!done.moving) return choose([done.id], done.more);
  const ids = chosen().includes(done.id) ? chosen().join(" ") : done.id;
  const [dx, dy] = done.cells;
  if (!dx && !dy) return act("show", { ids });
  act(done.size ? "resize" : "move", done.size ? { ids, dw: dx, dh: dy } : { ids, dx, dy });
});

// A strand dragged onto the sheet becomes an editor where it is let go.
root.addEventListener("dragstart", (event) => {
  const { drag: field, source } = event.target.dataset || {};
  if (field) event.dataTransfer.setData("text/plain", JSON.stringify({ field, source }));
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
  const x = Math.max(1, Math.floor((event.clientX - box.left) / width) + 1);
  const y = Math.max(1, Math.floor((event.clientY - box.top) / height) + 1);
  act("add", { kind: "editor", ...told, into: into?.dataset.control || "", x, y });
});

// -- keys ----------------------------------------------------------------------------------------------------

root.addEventListener("keydown", (event) => {
  const typing = event.target.matches("input, textarea, select");
  const ctrl = event.ctrlKey || event.metaKey;
  const key = event.key.toLowerCase();
  if (!typing && ctrl && (key === "z" || key === "y")) {
    event.preventDefault();
    return act(key === "z" && !event.shiftKey ? "undo" : "redo");
  }
  const one = event.target.closest("[data-stage] [data-control]");
  if (!one || typing) return;
  const id = one.dataset.control;
  const ids = chosen().includes(id) ? chosen().join(" ") : id;
  const steps = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const step = steps[event.key];
  if (step) {
    event.preventDefault();
    act(
      event.shiftKey ? "resize" : "move",
      event.shiftKey ? { ids, dw: step[0], dh: step[1] } : { ids, dx: step[0], dy: step[1] },
    );
  } else if (event.key === "Delete") {
    event.preventDefault();
    act("remove", { ids });
  } else if (ctrl && key === "d") {
    event.preventDefault();
    act("duplicate", { ids });
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    choose([id], event.shiftKey);
  } else if (event.key === "Escape") choose([]);
});
prepare();
