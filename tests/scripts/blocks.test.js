import assert from "node:assert/strict";
import { test } from "node:test";

import { asBlocks, fromBlock } from "../../enlace/site/static/enlace/chosencells.js";

test("what goes onto the clipboard comes back unchanged", () => {
  const cases = [
    [["a"]],
    [
      ["a", "b"],
      ["", "c"],
    ],
    [
      ['say "x"', "two\nlines"],
      ["tab\there", "end"],
    ],
    [
      ["", ""],
      ["", ""],
    ],
    [["a"], ["b\r\nc"]],
  ];
  for (const lines of cases) assert.deepEqual(fromBlock(asBlocks(lines).plain), lines);
});

test("what a spreadsheet writes is read", () => {
  assert.deepEqual(fromBlock("a\tb\r\nc\td\r\n"), [
    ["a", "b"],
    ["c", "d"],
  ]);
  assert.deepEqual(fromBlock('"x ""y"" z"\t5" pipe\n'), [['x "y" z', '5" pipe']]);
  assert.deepEqual(fromBlock("one\n"), [["one"]]);
});

test("markup in cells is text", () => {
  assert.match(asBlocks([["<b>&"]]).html, /&lt;b>&amp;/);
});
