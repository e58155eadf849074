import assert from "node:assert/strict";
import { test } from "node:test";
import { placed } from "../../enlace/site/static/enlace/settingscard.js";

const stage = { left: 330, right: 1280, top: 90, bottom: 800 };
const box = (left, top, width, height) => ({ left, top, right: left + width, bottom: top + height });

test("the card stands beside what is chosen where there is room", () => {
  assert.deepEqual(placed(box(350, 200, 400, 300), stage, 280, 400), { left: 760, top: 200 });
  assert.deepEqual(placed(box(900, 200, 370, 300), stage, 280, 400), { left: 610, top: 200 });
});

test("it stays within the view, and below or above what takes the whole width", () => {
  assert.deepEqual(placed(box(350, 700, 400, 300), stage, 280, 400), { left: 760, top: 390 });
  assert.deepEqual(placed(box(340, 100, 930, 60), stage, 280, 400), { left: 340, top: 170 });
  assert.deepEqual(placed(box(340, 700, 930, 60), stage, 280, 400), { left: 340, top: 290 });
});

test("over what fills the view it stands at the right end", () => {
  assert.deepEqual(placed(box(340, 100, 930, 680), stage, 280, 400), { left: 990, top: 100 });
});
