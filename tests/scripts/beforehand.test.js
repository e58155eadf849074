import assert from "node:assert/strict";
import { test } from "node:test";
import { Beforehand } from "../../enlace/site/static/enlace/beforehand.js";

function reading() {
  const world = { sent: 0, time: 0, asked: [], left: [], fails: false };
  const read = async (address, signal) => {
    world.asked.push(address);
    signal.addEventListener("abort", () => world.left.push(address));
    if (world.fails) throw new Error("nobody answers");
    return `what stands at ${address}`;
  };
  world.beforehand = new Beforehand(
    read,
    () => world.sent,
    () => world.time,
  );
  return world;
}

test("what was read beforehand is had once, by whoever asks for the same", async () => {
  const { beforehand, asked } = reading();
  beforehand.ask("5");
  assert.equal(await beforehand.take("5"), "what stands at 5");
  assert.equal(beforehand.take("5"), null);
  assert.deepEqual(asked, ["5"]);
});

test("it is not had for another address, after something was sent, or too late", () => {
  const world = reading();
  const { beforehand, left } = world;
  beforehand.ask("5");
  assert.equal(beforehand.take("6"), null);
  beforehand.ask("7");
  world.sent += 1;
  assert.equal(beforehand.take("7"), null);
  beforehand.ask("8");
  world.time += 4001;
  assert.equal(beforehand.take("8"), null);
  beforehand.ask("9");
  beforehand.drop();
  assert.equal(beforehand.take("9"), null);
  assert.deepEqual(left, ["5", "7", "8", "9"]);
});

test("what nobody answers is asked for again by whoever comes for it", async () => {
  const world = reading();
  world.fails = true;
  world.beforehand.ask("5");
  assert.equal(await world.beforehand.take("5"), null);
});
