import assert from "node:assert/strict";
import { test } from "node:test";
import { tracksOf } from "../../enlace/site/static/enlace/widths.js";

test("columns that share what is left take it in proportion, and never less than their width", () => {
  const { tracks, least, widths } = tracksOf("100px 80px+ 240px+");
  assert.equal(tracks, "28px 100px minmax(80px, 80fr) minmax(240px, 240fr)");
  assert.equal(least, 28 + 100 + 80 + 240);
  assert.deepEqual(widths, [100, 80, 240]);
});

test("a grid without columns has its gutter", () => {
  assert.deepEqual(tracksOf(""), { tracks: "28px", least: 28, widths: [] });
});
