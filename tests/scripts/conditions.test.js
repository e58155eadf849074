import assert from "node:assert/strict";
import { test } from "node:test";

import { cleaned, testsOf } from "../../enlace/site/static/enlace/conditions.js";

const COUNTS = { is: [1, 1], between: [2, 2], empty: [0, 0], in: [1, 500] };

test("each kind of field has tests that fit it", () => {
  assert.ok(testsOf("list").includes("begins") && !testsOf("list").includes("between"));
  assert.ok(testsOf("datetime").includes("last days") && !testsOf("decimal").includes("last days"));
  assert.deepEqual(testsOf("yesno"), ["is", "is not", "empty", "filled"]);
});

test("what says nothing yet is left out, whole groups too", () => {
  const said = { field: "a", test: "is", values: [" x "] };
  const silent = { field: "a", test: "between", values: ["1", ""] };
  assert.deepEqual(cleaned([said, silent], COUNTS), [{ field: "a", test: "is", values: ["x"] }]);
  assert.deepEqual(cleaned([{ any: [silent] }, { sql: "  " }], COUNTS), []);
  const empty = { field: "a", test: "empty", values: [] };
  assert.deepEqual(cleaned([{ none: [empty, silent], off: true }], COUNTS), [{ none: [empty], off: true }]);
});
