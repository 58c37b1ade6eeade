// The projection's hands: cameras of other shots, views from elsewhere, a source's frame.
import { get, picture, post } from '../api.js';
import { valueOf } from '../fields.js';
import { pickPiece, pickSet } from '../pick.js';
import { choose, on, save, setHand, state, tell } from '../state.js';
import { guarded } from '../told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;

// What the set no frame has seen lies at, for the plan from above.
let seenOf = 0;
async function neverSeen() {
  const d = state.document;
  if (state.step !== 4 || seenOf === state.revision || !d.camera || !d.pieces.length) return;
  seenOf = state.revision;
  try {
    state.neverSeen = (await get(`${api('sources')}?revision=${state.revision}`)).neverSeen;
    tell('plan');
  } catch {
    /* the sheet says why */
  }
}
on('document', neverSeen);
on('step', neverSeen);

// What is typed of a view: fields that are not drawn now keep what they were.
const view = {
  moved: [0, 0, 0],
  turned: [0, 0, 0],
  steadyFrames: 0,
  focalMm: null,
  overscan: 1,
  spot: null,
  sphereWidth: 2048,
  fisheyeDegrees: null,
  fisheyeWidth: 2048,
  filled: false,
};
function asked() {
  const form = document.getElementById('elsewhere');
  if (!form) return view;
  for (const i of form.querySelectorAll('[name]')) {
    if (i.name === 'filled') view.filled = i.checked;
    else if (['triple', 'number'].includes(i.dataset.shape)) {
      const value = valueOf(i);
      if (value !== undefined) view[i.name] = value;
    }
  }
  return view;
}
let shown = null,
  looking = 0;
const look = guarded(async () => {
  const mine = ++looking,
    bitmap = await picture(`${api(`frames/${state.frame}/elsewhere`)}?width=640`, asked());
  if (mine !== looking) return;
  shown = bitmap;
  tell('told', null);
  paint();
});
function paint() {
  const canvas = document.getElementById('elsewhere-picture');
  if (!canvas || !shown) return;
  Object.assign(canvas, { hidden: false, width: shown.width, height: shown.height });
  canvas.getContext('2d').drawImage(shown, 0, 0);
}
// What was typed stands in the fields again when they are drawn anew.
export function drawn() {
  for (const i of document.querySelectorAll('#elsewhere [name]')) {
    if (i === document.activeElement) continue;
    if (i.name === 'filled') i.checked = view.filled;
    else if (i.dataset.shape === 'triple' && view[i.name]) i.value = view[i.name][Number(i.dataset.part)];
    else if (i.dataset.shape === 'number' && view[i.name] !== null) i.value = view[i.name];
  }
  paint();
}
function toSpot(spot) {
  view.spot = spot;
  choose(`spot:${spot ? spot.join() : ''}`);
  look();
}

export function press(p) {
  pickPiece(p);
  return true;
}

export const hands = {
  elsewhere: look,
  seenBy(_, input) {
    view.spot = input.value === 'sphere' ? [0, 1.6, 0] : null;
    view.fisheyeDegrees = input.value === 'fisheye' ? 180 : null;
    choose(`seenBy:${input.value}`);
    look();
  },
  spot: (_, input, spot) => toSpot(spot),
  spotAbove: () =>
    setHand(
      guarded(async (p) => {
        const hit = await pickSet(p.x, p.y);
        toSpot(hit.onSet.map((v, i) => v + (i === 1 ? 1.6 : 0)));
      }),
    ),
  renderElsewhere: guarded(async (frames) => {
    await post(api('elsewhere'), { ...JSON.parse(frames), view: asked() });
    tell('told', null);
    tell('jobs-now');
  }),
  reshoot: guarded(async (frames) => {
    const code = document.querySelector('#sheet-body [name=reshootCode]').value;
    await post(api('reshoot'), { ...JSON.parse(frames), view: { ...asked(), filled: true }, code });
    tell('told', null);
    tell('jobs-now');
  }),
  matchCameras: guarded(async () => {
    const matched = await post(api('match-cameras'), { document: state.document, frame: state.frame });
    await save((d) => Object.assign(d, { otherCameras: matched }));
  }),
  projectionFrame: (id, _, frame) =>
    save((d) => {
      const p = d.projections.find((x) => x.id === id);
      p.frame = frame;
      if (/^frame \d+$/.test(p.name)) p.name = `frame ${p.frame}`;
      return d;
    }),
  paintColour: (_, input) => choose(`paintColour:${input.checked}`),
  paintBeyond: (_, input, pixels) => choose(`paintBeyond:${pixels}`),
};
// The matte that a source is kept to is the one to work on.
on('chose', ({ kind, id }) => {
  const matte = kind === 'projection' && state.document.projections.find((p) => p.id === id)?.matte;
  if (matte) state.chosen.matte = matte;
});

on('frame', () => {
  if (shown && state.step === 4) look();
});
