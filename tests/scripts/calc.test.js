// Against LibreOffice Calc 7.4.7.2 (Debian's package): what it puts on the clipboard, and what it makes of what Enlace puts
// there. Both were recorded by tests/outside/calc/record.py.

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";

import { asBlocks, fromBlock, withLines } from "../../enlace/site/static/enlace/chosencells.js";

const recorded = (name) => readFileSync(new URL(`../outside/calc/${name}`, import.meta.url), "utf8");
const CELLS = JSON.parse(recorded("cells.json"));
const bare = (lines) => lines.map((line) => line.map((text) => text.replaceAll(/\s+/g, " ")));

test("what Calc copied is read: its text, and the ends of lines of its table", () => {
  const lines = fromBlock(recorded("calc.txt"));
  assert.deepEqual(lines, bare(CELLS)); // a text on its clipboard has blanks in their place
  const cells = CELLS.map((line) => line.map((text) => (text === "" ? "\u2028" : text.replaceAll("\n", "\u2028"))));
  assert.deepEqual(withLines(lines, cells), CELLS);
});

test("Calc reads what Enlace copied: lines, zeros in front, and texts that look like formulas", () => {
  const ours = asBlocks(CELLS, [true, true, true]);
  assert.deepEqual(ours, JSON.parse(recorded("enlace.json")), "record anew what Calc makes of it");
  assert.deepEqual(fromBlock(recorded("calc-read.txt")), CELLS);
});

test("a table of other cells than the text is left alone", () => {
  const lines = [["two lines", "b"]];
  for (const cells of [null, [["two\u2028lines"]], [["two\u2028words", "b"]], [["two lines", "b"]]])
    assert.deepEqual(withLines(lines, cells), lines);
});
