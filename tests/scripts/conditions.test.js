import assert from "node:assert/strict";
import { test } from "node:test";

import { cleaned, inGroups, nameOf, testsOf, typedOf, valuesOf } from "../../enlace/site/static/enlace/conditions.js";

const COUNTS = { is: [1, 1], between: [2, 2], empty: [0, 0], in: [1, 500] };

test("each kind of field has tests that fit it", () => {
  assert.ok(testsOf("list").includes("begins") && !testsOf("list").includes("between"));
  assert.ok(testsOf("datetime").includes("last days") && !testsOf("decimal").includes("last days"));
  assert.deepEqual(testsOf("yesno"), ["is", "is not", "empty", "filled"]);
});

test("of moments one says before and after", () => {
  assert.deepEqual(
    [nameOf("less", "datetime"), nameOf("less", "decimal"), nameOf("is", "date")],
    ["is before", "is less than", "is"],
  );
});

test("what lies beyond the record stands under what it is of", () => {
  const fields = [
    { name: "vessel.flag", label: "Vessel: Flag" },
    { name: "sum(cargo.t)", label: "Cargo: sum of t" },
    { name: "vessel.name", label: "Vessel: Name" },
  ];
  const [vessel, cargo] = inGroups(fields);
  assert.deepEqual(vessel, [
    "Vessel",
    [
      ["vessel.flag", "Vessel: Flag"],
      ["vessel.name", "Vessel: Name"],
    ],
  ]);
  assert.equal(cargo[0], "Cargo");
});

test("what says nothing yet is left out, whole groups too", () => {
  const said = { field: "a", test: "is", values: [" x "] };
  const silent = { field: "a", test: "between", values: ["1", ""] };
  assert.deepEqual(cleaned([said, silent], COUNTS), [{ field: "a", test: "is", values: ["x"] }]);
  assert.deepEqual(cleaned([{ any: [silent] }, { sql: "  " }], COUNTS), []);
  const empty = { field: "a", test: "empty", values: [] };
  assert.deepEqual(cleaned([{ none: [empty, silent], off: true }], COUNTS), [{ none: [empty], off: true }]);
});

test("several values are typed with semicolons between, and texts are meant as a whole", () => {
  assert.deepEqual(valuesOf("Cork; ; =Wheat ;==x", "text"), ["=Cork", "=Wheat", "==x"]);
  assert.deepEqual(valuesOf("3;2..5", "whole"), ["3", "2..5"]);
  assert.equal(typedOf(["=Cork", "==x", "3"]), "Cork; ==x; 3");
  assert.deepEqual(valuesOf(typedOf(["=Cork", "==x"]), "list"), ["=Cork", "==x"]);
});
