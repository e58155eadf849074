import assert from "node:assert/strict";
import { test } from "node:test";
import { isDead, letterOf, typedBy } from "../../enlace/site/static/enlace/typing.js";

const press = (key, held = [], code = "") => ({
  key,
  code,
  ctrlKey: held.includes("Control"),
  altKey: held.includes("Alt"),
  metaKey: held.includes("Meta"),
  getModifierState: (name) => held.includes(name),
});

test("what is typed with AltGr is typed, even where it comes as Ctrl and Alt", () => {
  assert.equal(typedBy(press("€", ["AltGraph"])), "€");
  assert.equal(typedBy(press("@", ["AltGraph", "Control", "Alt"])), "@");
  assert.equal(typedBy(press("ç")), "ç");
  assert.equal(typedBy(press("😀")), "😀");
});

test("what is done by a key is not typed", () => {
  for (const held of [["Control"], ["Meta"], ["Alt"], ["Control", "Alt"]])
    assert.equal(typedBy(press("a", held), false), "");
  for (const key of ["Enter", "Dead", "F2", "Process"]) assert.equal(typedBy(press(key)), "");
  assert.equal(typedBy(press("@", ["Alt"]), true), "@");
  assert.equal(typedBy(press("a", ["Meta"]), true), "");
});

test("a key that puts an accent on the next one begins a text as well", () => {
  assert.equal(isDead(press("Dead")), true);
  assert.equal(isDead(press("Dead", ["Alt"])), true);
  assert.equal(isDead(press("´")), false);
});

test("a letter is the one on the key, or the one at its place", () => {
  assert.equal(letterOf(press("A", ["Alt", "Shift"], "KeyQ")), "A"); // AZERTY
  assert.equal(letterOf(press("Т", ["Alt", "Shift"], "KeyN")), "N"); // a Cyrillic one
  assert.equal(letterOf(press("˜", ["Alt", "Shift"], "KeyN")), "N"); // Option on a Mac
  assert.equal(letterOf(press("?", ["Alt", "Shift"], "Slash")), "");
});
