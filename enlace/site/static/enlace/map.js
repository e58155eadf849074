// The schema map: moved and made larger by mouse and by keys.

import { noClick } from "./drags.js";
import { letterOf } from "./typing.js";

const room = document.querySelector("[data-map]");
const svg = room.querySelector("svg");
const MARGIN = 20;
const whole = { width: Number(svg.dataset.width) + 2 * MARGIN, height: Number(svg.dataset.height) + 2 * MARGIN };
let view = { x: -MARGIN, y: -MARGIN, scale: 1 };

/** The part of the picture that is seen: its scale in pixels of the screen, never so large that nothing is left. */
export function held({ x, y, scale }, size, all) {
  const fitted = Math.min(Math.max(scale, 0.1), 4);
  const [width, height] = [size.width / fitted, size.height / fitted];
  const least = (room, most) => Math.min(-MARGIN, most - room + MARGIN);
  const last = (room, most) => Math.max(-MARGIN, most - room + MARGIN);
  const within = (at, room, most) => Math.min(Math.max(at, least(room, most) - room / 2), last(room, most) + room / 2);
  return { x: within(x, width, all.width), y: within(y, height, all.height), scale: fitted };
}
function show(next) {
  const size = room.getBoundingClientRect();
  view = held(next, size, whole);
  svg.setAttribute("viewBox", `${view.x} ${view.y} ${size.width / view.scale} ${size.height / view.scale}`);
}
function all() {
  const size = room.getBoundingClientRect();
  show({ x: -MARGIN, y: -MARGIN, scale: Math.min(1, size.width / whole.width, size.height / whole.height) });
}
function zoom(by, at = null) {
  const size = room.getBoundingClientRect();
  const point = at ?? { x: size.width / 2, y: size.height / 2 };
  const scale = Math.min(Math.max(view.scale * by, 0.1), 4);
  const [px, py] = [view.x + point.x / view.scale, view.y + point.y / view.scale];
  show({ x: px - point.x / scale, y: py - point.y / scale, scale });
}
document.addEventListener("click", ({ target }) => {
  const by = target.closest("[data-zoom]")?.dataset.zoom;
  if (by) Number(by) ? zoom(Number(by)) : all();
});
room.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    const box = room.getBoundingClientRect();
    zoom(event.deltaY < 0 ? 1.12 : 1 / 1.12, { x: event.clientX - box.left, y: event.clientY - box.top });
  },
  { passive: false },
);
let drag = null;
room.addEventListener("pointerdown", (event) => {
  const table = event.target.closest(".box")?.dataset.table;
  drag = { x: event.clientX, y: event.clientY, from: view, moved: false, table };
});
// A table is dragged onto a new form; anything else moves the map.
const place = document.querySelector("[data-new-form]");
const over = ({ clientX, clientY }) =>
  document.elementFromPoint(clientX, clientY)?.closest("[data-new-form]") === place;
function make(table) {
  place.elements.name.value = table;
  place.requestSubmit();
}
const label = document.createElement("span");
label.className = "map-dragged";
function carry(event) {
  if (!label.isConnected) document.body.append(label);
  label.textContent = drag.table;
  label.style.left = `${event.clientX + 10}px`;
  label.style.top = `${event.clientY + 10}px`;
  place.classList.toggle("over", over(event));
}
window.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
  drag.moved ||= Math.abs(dx) + Math.abs(dy) > 5;
  if (drag.moved && drag.table) carry(event);
  else if (drag.moved) show({ ...drag.from, x: drag.from.x - dx / view.scale, y: drag.from.y - dy / view.scale });
});
window.addEventListener("pointerup", (event) => {
  label.remove();
  place.classList.remove("over");
  if (drag?.moved && drag.table && over(event)) make(drag.table);
  if (drag?.moved) noClick();
  drag = null;
});
room.addEventListener("dragstart", (event) => event.preventDefault());
room.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  const step = 60 / view.scale;
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  if (moves[event.key]) show({ ...view, x: view.x + moves[event.key][0], y: view.y + moves[event.key][1] });
  else if (event.key === "+" || event.key === "=") zoom(1.25);
  else if (event.key === "-") zoom(0.8);
  else if (event.key === "0") all();
  else if (letterOf(event) === "F" && event.target.closest(".box")) make(event.target.closest(".box").dataset.table);
  else return;
  event.preventDefault();
});
// The ties of a table stand out while it is looked at; a table that has the focus comes into view.
const ties = (name, on) => {
  for (const tie of svg.querySelectorAll(".tie"))
    if (tie.dataset.from === name || tie.dataset.to === name) tie.classList.toggle("lit", on);
};
for (const box of svg.querySelectorAll(".box")) {
  const name = box.dataset.table;
  for (const event of ["pointerenter", "focus"]) box.addEventListener(event, () => ties(name, true));
  for (const event of ["pointerleave", "blur"]) box.addEventListener(event, () => ties(name, false));
  box.addEventListener("focus", () => {
    const { x, y, width, height } = box.getBBox();
    const size = room.getBoundingClientRect();
    const [w, h] = [size.width / view.scale, size.height / view.scale];
    if (x < view.x || y < view.y || x + width > view.x + w || y + height > view.y + h)
      show({ ...view, x: x + width / 2 - w / 2, y: y + height / 2 - h / 2 });
  });
}
window.addEventListener("resize", () => show(view));
all();
