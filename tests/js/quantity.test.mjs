// Numbers with units as they are typed: the same table is asked of the server.
import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { test } from 'node:test';
import { parseNumber, texts } from '../../src/Plenk.Web/wwwroot/js/quantity.js';

const table = JSON.parse(readFileSync(new URL('../quantities.json', import.meta.url)));
for (const { text, unit, value } of table)
  test(`“${text}” in ${unit || 'no unit'}`, () => {
    const read = parseNumber(text, unit);
    if (value === null) assert.ok(Number.isNaN(read));
    else assert.ok(Math.abs(read - value) < 1e-12 * Math.max(1, Math.abs(value)), `${read}`);
  });

test('rates and curves are written as texts', () => {
  assert.deepEqual(texts.rate('24000/1001'), { num: 24000, den: 1001 });
  assert.equal(texts.rate('24.5'), undefined);
  assert.deepEqual(texts.curve('0:0 0.18:0.2 1:1')[1], { in: 0.18, out: 0.2 });
  assert.equal(texts.curve(''), null);
  assert.equal(texts.curve('1'), undefined);
});
