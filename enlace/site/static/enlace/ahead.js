// A control that is moved or made wider stands there at once; what gives way to it, and what is told, comes with the answer.

import { layOut } from "./sheetpage.js";

const [COLUMNS, MOST_ROWS] = [12, 200]; // of a sheet
const OF_PLACE = /^(x|y|w|high)(\d+)$/;

/** Where a control stands after a step, kept on the sheet as the server keeps it. place: x, y, w and high, in cells from 1.
 *  step: by how many cells; dx and dy of a control that is moved, dw and dh of one that is made wider or higher. */
export function stepped({ x, y, w, high }, { dx = 0, dy = 0, dw = 0, dh = 0 }) {
  const held = (value, most) => Math.max(1, Math.min(value, most));
  return {
    x: held(x + dx, COLUMNS - w + 1),
    y: held(y + dy, MOST_ROWS - high + 1),
    w: held(w + dw, COLUMNS - x + 1),
    high: held(high + dh, MOST_ROWS - y + 1),
  };
}

/** Draw controls where a step takes them. A function that draws them as they stood before. */
export function drawAhead(controls, step) {
  const before = controls.map((control) => control.className);
  for (const control of controls) {
    const names = [...control.classList];
    const place = Object.fromEntries(
      names.map((name) => name.match(OF_PLACE)).flatMap((found) => (found ? [[found[1], Number(found[2])]] : [])),
    );
    const rest = names.filter((name) => !OF_PLACE.test(name));
    control.className = [...Object.entries(stepped(place, step)).map(([name, at]) => name + at), ...rest].join(" ");
  }
  layOut();
  return () => {
    for (const [at, control] of controls.entries()) control.className = before[at];
    layOut();
  };
}
