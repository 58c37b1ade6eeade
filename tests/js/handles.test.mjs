import assert from 'node:assert/strict';
import { test } from 'node:test';
import { along, angleOn } from '../../src/Plenk.Web/wwwroot/js/shapes.js';

test('how far along a line a place lies, and how far beside it', () => {
  assert.deepEqual(along([10, 10], [30, 10], { x: 20, y: 13 }), { t: 0.5, off: 3 });
  // Beyond its end it goes on, and its distance is that from the end.
  assert.deepEqual(along([0, 0], [0, 4], { x: 3, y: 8 }), { t: 2, off: 5 });
  assert.equal(along([5, 5], [5, 5], { x: 8, y: 9 }).off, 5);
});

test('the angle of a ring at the place nearest to the pointer', () => {
  const ring = Array.from({ length: 48 }, (_, i) => [100 * Math.cos((i * Math.PI) / 24), 50 * Math.sin((i * Math.PI) / 24)]);
  assert.equal(angleOn(ring, { x: 0, y: 50 }).degrees, 90);
  assert.ok(Math.abs(angleOn(ring, { x: -120, y: 0 }).degrees - 180) < 1e-9);
  assert.ok(angleOn(ring, { x: 0, y: 57 }).off - 7 < 1e-9);
  // What lies behind the camera is left out.
  ring[12] = null;
  assert.ok(Math.abs(angleOn(ring, { x: 0, y: 50 }).degrees - 90) <= 7.5);
});
