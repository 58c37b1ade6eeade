// What the page makes of a changed document: edits that the server lays on the newest one.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { editsBetween, freeId, move, put, same, withFreeIds } from '../../src/Plenk.Web/wwwroot/js/edits.js';

const shot = () => ({
  elements: [
    { id: 'bell', position: [1, 0, -2], keys: [{ frame: 1010, scale: 1 }] },
    { id: 'chain', position: [0, 0, 0], keys: [] },
  ],
  knownLengths: [
    { from: 'A', to: 'B', metres: 2 },
    { from: 'B', to: 'C', metres: 3 },
  ],
  surveyPoints: [{ name: 'a/b', position: null }],
  tolerances: { 'camera.path': 0.5 },
  realShadow: undefined,
});
const changed = (act) => {
  const after = shot();
  act(after);
  return editsBetween(shot(), after);
};

test('nothing changed is no edit', () => {
  assert.deepEqual(
    changed(() => {}),
    [],
  );
  assert.ok(same({ a: undefined }, { a: null }));
  assert.ok(!same([1, 2], [1, 2, 3]));
});

test('a value is set where it stands, with what stood there', () => {
  assert.deepEqual(
    changed((d) => {
      d.elements[0].position = [1, 0, -3];
    }),
    [{ edit: 'set', at: 'elements/bell/position', from: [1, 0, -2], to: [1, 0, -3] }],
  );
  assert.deepEqual(
    changed((d) => {
      d.realShadow = { frame: 1 };
    }),
    [{ edit: 'set', at: 'realShadow', from: null, to: { frame: 1 } }],
  );
});

// RFC 6901, section 5: “/a~1b” names “a/b”.
test('names with a slash are escaped', () =>
  assert.deepEqual(
    changed((d) => {
      d.surveyPoints[0].position = [0, 0, 0];
    }),
    [{ edit: 'set', at: 'surveyPoints/a~1b/position', from: null, to: [0, 0, 0] }],
  ));

test('members of lists are added before their neighbour and taken away', () => {
  const edits = changed((d) => {
    d.elements.splice(1, 0, { id: 'card' });
    d.elements[0].keys = [];
  });
  assert.deepEqual(edits, [
    { edit: 'remove', at: 'elements/bell/keys/1010', from: { frame: 1010, scale: 1 } },
    { edit: 'add', at: 'elements', item: { id: 'card' }, before: 'chain' },
  ]);
});

test('lists whose members have no name, and lists in another order, are one value', () => {
  assert.equal(
    changed((d) => {
      d.knownLengths[1].metres = 4;
    })[0].at,
    'knownLengths',
  );
  assert.equal(changed((d) => d.elements.reverse())[0].at, 'elements');
});

test('an entry of a table that is gone is taken away', () =>
  assert.deepEqual(
    changed((d) => {
      delete d.tolerances['camera.path'];
    }),
    [{ edit: 'remove', at: 'tolerances/camera.path', from: 0.5 }],
  ));

test('places are set as they are named', () => {
  assert.equal(put(shot(), 'elements/bell/keys/1010/scale', 2).elements[0].keys[0].scale, 2);
  assert.equal(put(shot(), 'knownLengths/1/metres', 4).knownLengths[1].metres, 4);
  assert.deepEqual(put(shot(), 'elements/bell/position/1', 5).elements[0].position, [1, 5, -2]);
  assert.equal(put(shot(), 'surveyPoints/a~1b', undefined).surveyPoints.length, 0);
  assert.throws(() => put(shot(), 'elements/pillar/scale', 2), /pillar is no longer there/);
});

test('a key that is not there yet begins as it is said, in its order', () => {
  const d = put(shot(), 'elements/bell/keys/1005/scale', 3, { frame: 1005, ease: 'Eased' });
  assert.deepEqual(d.elements[0].keys, [
    { frame: 1005, ease: 'Eased', scale: 3 },
    { frame: 1010, scale: 1 },
  ]);
  assert.deepEqual(put({}, 'cut/first', 1003, { first: 1001, last: 1072 }).cut, { first: 1003, last: 1072 });
});

test('things take another place in their order', () =>
  assert.deepEqual(
    move(shot(), 'elements/bell', null).elements.map((e) => e.id),
    ['chain', 'bell'],
  ));

test('ids are the first that are free', () => assert.equal(freeId([{ id: 'card_1' }, { id: 'card_3' }], 'card'), 'card_2'));

test('what is added under an id that is taken by now takes the next one, and what is set of it goes along', () => {
  const { edits, renamed } = withFreeIds(
    [
      { edit: 'add', at: 'elements', item: { id: 'chain', name: 'chain' } },
      { edit: 'set', at: 'elements/chain/scale', to: 2 },
      { edit: 'add', at: 'elements', item: { id: 'card_1', name: 'smoke' } },
    ],
    shot(),
  );
  assert.deepEqual(
    edits.map((e) => e.item ?? e.at),
    [{ id: 'chain_1', name: 'chain 1' }, 'elements/chain_1/scale', { id: 'card_1', name: 'smoke' }],
  );
  assert.equal(renamed.get('chain'), 'chain_1');
});
