// Run by node's own test runner: node --test tests/scripts
import assert from "node:assert/strict";
import test from "node:test";
import { rowsOf } from "../../enlace/site/static/enlace/sheetpage.js";

test("rows that only filling controls stand in share what is left", () => {
  const rows = rowsOf([
    { y: 1, h: 1, fill: false },
    { y: 2, h: 2, fill: true },
    { y: 5, h: 1, fill: false },
  ]).split(/ (?=minmax|var)/);
  assert.deepEqual(rows, [
    "minmax(min-content, auto)",
    "minmax(0, 1fr)",
    "minmax(0, 1fr)",
    "var(--cell)",
    "minmax(min-content, auto)",
  ]);
});

test("a sheet without controls has no rows", () => assert.equal(rowsOf([]), ""));
