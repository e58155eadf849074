// Where a control is drawn before the server has answered: as `core/form/edit.py` will have it.

import assert from "node:assert/strict";
import test from "node:test";
import { stepped } from "../../enlace/site/static/enlace/ahead.js";

const place = { x: 3, y: 2, w: 4, high: 5 };

test("a step moves or resizes", () => {
  assert.deepEqual(stepped(place, { dx: 1, dy: 2 }), { ...place, x: 4, y: 4 });
  assert.deepEqual(stepped(place, { dw: -2, dh: 1 }), { ...place, w: 2, high: 6 });
});

test("a control stays on the sheet", () => {
  assert.deepEqual(stepped(place, { dx: 40, dy: -40 }), { ...place, x: 9, y: 1 });
  assert.deepEqual(stepped(place, { dx: -40, dy: 400 }), { ...place, x: 1, y: 196 });
  assert.deepEqual(stepped(place, { dw: 40, dh: 400 }), { ...place, w: 10, high: 199 });
  assert.deepEqual(stepped(place, { dw: -40, dh: -40 }), { ...place, w: 1, high: 1 });
});
