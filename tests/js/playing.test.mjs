// Which frames play when, and in which order they are wanted.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { orderOf, playedAt } from '../../src/Plenk.Web/wwwroot/js/playing.js';

test('while the hand rests frames near the present one come first', () => {
  assert.deepEqual(orderOf(1001, 1006, 1003, false), [1003, 1004, 1002, 1005, 1001, 1006]);
  assert.deepEqual(orderOf(1001, 1004, 1001, false), [1001, 1002, 1003, 1004]);
  assert.deepEqual(orderOf(7, 7, 7, false), [7]);
});

test('while it plays they come as they are played', () => {
  assert.deepEqual(orderOf(1001, 1005, 1004, true), [1004, 1005, 1001, 1002, 1003]);
});

test('frames follow the clock at the rate of the shot, round the range', () => {
  const film = { num: 24, den: 1 },
    broadcast = { num: 30000, den: 1001 };
  assert.equal(playedAt(0, film, 1001, 1072, 1036), 1036);
  assert.equal(playedAt(1000, film, 1001, 1072, 1036), 1060);
  assert.equal(playedAt(1500, film, 1001, 1072, 1036), 1072);
  assert.equal(playedAt(1542, film, 1001, 1072, 1036), 1001);
  // 29.97 frames a second: after a minute and 60 ms the 1800th.
  assert.equal(playedAt(60_061, broadcast, 1, 100_000, 1), 1801);
  assert.equal(playedAt(60_059, broadcast, 1, 100_000, 1), 1800);
  // A clock that is behind, and a frame beyond the cut.
  assert.equal(playedAt(-3, film, 1001, 1010, 1004), 1004);
  assert.equal(playedAt(0, film, 1001, 1010, 1044), 1010);
});
