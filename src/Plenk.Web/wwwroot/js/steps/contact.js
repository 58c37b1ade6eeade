// The contact's hands: elements are stood, placed and lowered, a real shadow is named; their paths in the rail.
import { get, post } from '../api.js';
import { put } from '../edits.js';
import { isKeyed, setAt, straightCurve } from '../keys.js';
import { pick, pickSet } from '../pick.js';
import { kept } from '../over.js';
import { changed, inLine, on, save, setHand, state, tell } from '../state.js';
import { guarded, say, words } from '../told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const usual = { acesCct: 'acescg', pq: 'bt2020', hlg: 'bt2020' }; // primaries that go with an encoding, where they are not BT.709's
const edit = (id, act) =>
  save((d) => {
    act(d.elements.find((x) => x.id === id));
    return d;
  });

// Where a keyed element is, frame by frame: asked of the server, which knows how keys go on.
let path = null,
  pathOf = '';
function refreshPath() {
  const m = chosen(),
    key = m ? `${m.id}/${state.revision}` : '';
  if (key === pathOf) return;
  [path, pathOf] = [null, key];
  if (!m || !isKeyed(`elements/${m.id}/`)) return;
  inLine(() => get(`${api(`elements/${encodeURIComponent(m.id)}/path`)}?revision=${state.revision}`))
    .then((p) => {
      if (pathOf === key) {
        path = p;
        tell('chosen');
      }
    })
    .catch(() => {});
}
// An element as it is at this frame, as far as is known here.
export const elementAt = (m) => (pathOf.startsWith(`${m.id}/`) && path?.find((f) => f.frame === state.frame)) || m;
const chosen = () => {
  const d = state.document;
  return d?.elements.find((x) => x.id === state.chosen.element) || (d?.elements.length === 1 ? d.elements[0] : null);
};

// Its pivot is put elsewhere on it, and it stays where it is: its place goes along, at each key of it.
async function pivoted(id, where) {
  const { pivot, position, keys } = await post(`${api(`elements/${encodeURIComponent(id)}/pivot`)}?frame=${state.frame}`, {
    ...where,
    document: state.document,
  });
  await save((d) => {
    Object.assign(
      d.elements.find((x) => x.id === id),
      { pivot, position },
    );
    if (keys) d.curves.find((c) => c.id === `elements/${id}/position`).keys = keys;
    return d;
  });
}

export const hands = {
  stand: guarded(async (on) => {
    const { id, how } = JSON.parse(on),
      placed = await post(`${api(`elements/${encodeURIComponent(id)}/stand`)}?how=${how}&frame=${state.frame}`, {
        document: state.document,
      });
    await save((d) => {
      const lower = setAt(d, `elements/${id}/position`, placed.position);
      return how !== 'lower' ? setAt(lower, `elements/${id}/rotationYxzDegrees`, placed.rotationYxzDegrees) : lower;
    });
  }),
  standKeys: guarded(async (id) => {
    const keys = await post(api(`elements/${encodeURIComponent(id)}/stand-keys`), { document: state.document });
    await save((d) => Object.assign(d, { curves: d.curves.map((c) => (c.id === `elements/${id}/position` ? { ...c, keys } : c)) }));
  }),
  clickPlace: (id) =>
    setHand(
      guarded(async (p) => {
        const { onSet } = await pickSet(p.x, p.y);
        await save((d) => setAt(d, `elements/${id}/position`, kept(`elements/${id}`, onSet)));
      }),
    ),
  pivot: guarded((on) => {
    const { id, to } = JSON.parse(on);
    return pivoted(id, { to });
  }),
  clickPivot: (id) => setHand(guarded((p) => pivoted(id, { x: p.x, y: p.y }))),
  turnJoint: (id, input) =>
    input.value &&
    edit(id, (x) => {
      x.joints = [...(x.joints ?? []), { id: input.value, degreesYxz: [0, 0, 0] }];
    }),
  clickSpot: (id) => setHand(guarded((p) => changed(`elements/${id}/spots`, { frame: state.frame, x: p.x, y: p.y }))),
  followSpot: guarded(({ id, spot }) => changed(`elements/${id}/spots`, { frame: state.frame, spot })),
  clickPush: (id) =>
    setHand(
      guarded(async (p) => {
        const { point } = await pick(p.x, p.y);
        await save((d) => put(d, `elements/${id}/letGo/impulseAt`, point));
      }),
    ),
  codes: (id, input) =>
    edit(id, (x) => {
      x.frames.encoding = input.value;
      x.frames.primaries = usual[input.value] ?? 'bt709';
    }),
  realShadow() {
    setHand((lit) => {
      setHand((dark) => save((d) => put(d, 'realShadow', { frame: state.frame, litX: lit.x, litY: lit.y, darkX: dark.x, darkY: dark.y })));
      say('shadow-dark');
    });
    say('shadow-lit');
  },
  toRealShadow: guarded(async () => {
    const lit = await post(api('to-real-shadow'), { document: state.document });
    await save((d) => Object.assign(d, lit));
  }),
  roomForShadow: guarded(async (id) => {
    const piece = await post(api(`elements/${encodeURIComponent(id)}/extend-receiver`), { document: state.document });
    await save((d) => put(d, `pieces/${piece.id}`, piece));
  }),
};
// What hides all of the chosen element here is known once the picture's marks are there.
export function drawn(body) {
  refreshPath();
  const box = body.querySelector('#hidden-by'),
    behind = state.hiddenBy?.[chosen()?.id];
  if (!box) return;
  box.hidden = !behind;
  for (const e of box.querySelectorAll('[data-piece]')) e.textContent = behind ?? '';
}
on('frame', () => {
  if (state.step === 6 && !state.playing) tell('chosen');
});

// For the rail: one of the corrections of the chosen filmed person.
const figureParts = {
  x: ['shift', 0],
  y: ['shift', 1],
  z: ['shift', 2],
  scale: ['scale', null],
};
function figureCurve() {
  const p = state.document.pieces.find((x) => x.kind === 'Figure' && x.id === state.chosen.figure);
  if (!p?.figure.keys?.length) return null;
  const on = state.page.figureCurve ?? 'x',
    [key, part] = figureParts[on],
    of = (v) => (part === null ? v : v[part]);
  return straightCurve(words(`curve-figure-${on}`, p).message, p.figure.keys, key, of, (frame, value) =>
    save((d) => {
      const k = d.pieces.find((x) => x.id === p.id).figure.keys.find((q) => q.frame === frame);
      if (part === null) k[key] = value;
      else k[key][part] = value;
      return d;
    }),
  );
}
export const curve = figureCurve;
