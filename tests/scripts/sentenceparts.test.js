import assert from "node:assert/strict";
import { test } from "node:test";
import { reordered } from "../../enlace/site/static/enlace/sentenceparts.js";
import { termOf } from "../../enlace/site/static/enlace/terms.js";

const view = "order=-eta:empty&order=-eta&order=berth&order=agent&group=status:value&group=-eta:month&only-x=1";
const terms = (asked, list) => asked.getAll(list).join(" ");

test("a field of an order goes with what is said of its empty ones", () => {
  assert.equal(terms(reordered(view, "order", "eta", "agent"), "order"), "berth -eta:empty -eta agent");
  assert.equal(terms(reordered(view, "order", "eta", null), "order"), "berth agent -eta:empty -eta");
  assert.equal(terms(reordered(view, "order", "agent", "eta"), "order"), "agent -eta:empty -eta berth");
});

test("groups are put before one another, and nothing else is touched", () => {
  const asked = reordered(view, "group", "eta", "status");
  assert.equal(terms(asked, "group"), "-eta:month status:value");
  assert.equal(terms(asked, "order"), "-eta:empty -eta berth agent");
  assert.equal(asked.get("only-x"), "1");
});

test("a field before itself, or before one that is gone, is the last one", () => {
  assert.equal(terms(reordered(view, "order", "berth", "gone"), "order"), "-eta:empty -eta agent berth");
});

test("a field whose name begins like a sign is told from another one's way down", () => {
  const signs = `order=${encodeURIComponent(termOf("-e"))}&order=${encodeURIComponent(termOf("e", true))}`;
  assert.equal(terms(reordered(signs, "order", "e", "-e"), "order"), "-e +-e");
  assert.equal(termOf("-e", true), "--e");
});
