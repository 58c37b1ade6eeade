// What lies inside a loop that is drawn in the picture.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { closed, inside, joined } from '../../src/Plenk.Web/wwwroot/js/shapes.js';

const loop = (...xy) => xy.map(([x, y]) => ({ x, y }));

test('a square holds its middle and nothing beside it, whichever way round it is drawn', () => {
  for (const square of [loop([0, 0], [10, 0], [10, 10], [0, 10]), loop([0, 0], [0, 10], [10, 10], [10, 0])]) {
    assert.ok(inside(square)({ x: 5, y: 5 }));
    for (const [x, y] of [
      [-1, 5],
      [11, 5],
      [5, -1],
      [5, 11],
    ])
      assert.ok(!inside(square)({ x, y }));
  }
});

test('the notch of a loop is outside', () => {
  const notched = loop([0, 0], [10, 0], [10, 10], [5, 3], [0, 10]);
  assert.ok(!inside(notched)({ x: 5, y: 6 }));
  assert.ok(inside(notched)({ x: 5, y: 2 }));
  assert.ok(inside(notched)({ x: 1, y: 6 }));
});

test('what is no area holds nothing', () => {
  assert.ok(!inside([])({ x: 0, y: 0 }));
  assert.ok(!inside(loop([0, 0], [4, 4]))({ x: 2, y: 2 }));
});

test('ways are joined into one that goes on, and closed where they meet', () => {
  const first = { corners: [0, 0, 10, 0], handles: [0, 0, 3, 1, -3, 1, 0, 0] },
    second = { corners: [10, 0, 0, 0], handles: [0, 0, 2, 5, 2, 5, 0, 0] },
    both = joined(first, second);
  assert.deepEqual(both.corners, [0, 0, 10, 0, 0, 0]);
  assert.deepEqual(both.handles, [0, 0, 3, 1, -3, 1, 2, 5, 2, 5, 0, 0]);
  const shape = closed(both);
  assert.deepEqual(shape.corners, [0, 0, 10, 0]);
  assert.deepEqual(shape.handles, [2, 5, 3, 1, -3, 1, 2, 5]);
});
