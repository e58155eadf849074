import assert from "node:assert/strict";
import { test } from "node:test";
import { nowFor } from "../../enlace/site/static/enlace/quickvalues.js";

test("now is a day, a minute or both, by what the field holds, on the clock of the person", () => {
  const late = new Date(2026, 2, 1, 0, 5); // another day elsewhere
  assert.equal(nowFor({ kind: "date" }, late), "2026-03-01");
  assert.equal(nowFor({ kind: "datetime" }, late), "2026-03-01 00:05");
  assert.equal(nowFor({ kind: "time" }, late), "00:05");
  assert.equal(nowFor({ kind: "text" }, late), "2026-03-01");
  assert.equal(nowFor({ kind: "decimal" }, late), "");
  assert.equal(nowFor({ kind: "text", list: "" }, late), "");
});
