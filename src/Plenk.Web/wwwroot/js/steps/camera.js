// The camera's hands: survey points are clicked, level lines drawn, ends of axis and length named, figures stood on the floor.
import { get, post } from '../api.js';
import { freeId } from '../edits.js';
import { choose, save, setHand, state, tell } from '../state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;

// A point that clicks alone made is placed anew whenever its clicks change.
async function placed(document, point) {
  if (!point.fromClicks) return document;
  point.position = null;
  if (document.camera && point.clicks.length > 1)
    point.position = (await post(api(`survey/${encodeURIComponent(point.name)}/locate`), { document })).position;
  return document;
}
function clickPoint(name, at) {
  const { frame } = state;
  return save((d) => {
    let s = d.surveyPoints.find((q) => q.name === name);
    if (!s) {
      s = { name, position: null, fromClicks: true, clicks: [] };
      d.surveyPoints.push(s);
    }
    s.clicks = [...s.clicks.filter((c) => c.frame !== frame), { frame, x: at.x, y: at.y }];
    return placed(d, s);
  });
}
function nextPoint(d) {
  let k = 1;
  while (d.surveyPoints.some((s) => s.name === `P${k}`)) k++;
  return `P${k}`;
}

let begun = null; // the first end of a level line
function drawLine(horizon) {
  setHand((a) => {
    begun = a;
    tell('draw');
    setHand((b) => {
      begun = null;
      return save((d) => {
        d.orientation.level.push({ frame: state.frame, horizon, x1: a.x, y1: a.y, x2: b.x, y2: b.y });
        return d;
      });
    });
  });
}
// On the picture.
export function draw({ at, xy, path, thin, both, label }, over) {
  const parts = over?.grid?.length ? [thin(over.grid.map(path).join(''), 0.65, 0.8)] : [];
  for (const l of over?.standIns || [])
    parts.push(l.h ? thin(path(l.p), 0.6, 0.8, '1 4') : both(path(l.p), l.id === state.chosen.standIn ? 2.2 : 1.4, ''));
  const lines = (state.document.orientation.level || [])
    .filter((l) => l.frame === state.frame)
    .flatMap((l) => {
      const [x, y] = xy(l.x2, l.y2);
      return [both(`M${at(l.x1, l.y1)}L${x} ${y}`, 1.4, '9 3 2 3'), label(x + 5, y - 5, l.horizon ? 'horizon' : 'upright')];
    });
  parts.push(...lines);
  if (begun && state.hand) {
    const [x, y] = xy(begun.x, begun.y);
    parts.push(both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, ''));
  }
  return parts;
}

const heights = { figure: 1.75, box: 0.5 }; // metres
export const hands = {
  newPoint: () =>
    setHand((p) => {
      const name = nextPoint(state.document);
      state.chosen.point = name;
      return clickPoint(name, p);
    }),
  clickPoint: (name) => setHand((p) => clickPoint(name, p)),
  unclickPoint: (name) =>
    save((d) => {
      const s = d.surveyPoints.find((q) => q.name === name);
      s.clicks = s.clicks.filter((c) => c.frame !== state.frame);
      return placed(d, s);
    }),
  level: (what) => drawLine(what === 'horizon'),
  // Two points name a line: kept on the page until both are chosen, as one alone says nothing.
  end(on, input) {
    const [which, end] = on.split(':'),
      has = state.document.orientation[which],
      half = {
        From: state.page[`${which}From`] ?? has?.from ?? '',
        To: state.page[`${which}To`] ?? has?.to ?? '',
        [end]: input.value,
      },
      name = (value) => {
        choose(`${which}From:`);
        choose(`${which}To:`);
        return save((d) => {
          d.orientation[which] = value && { ...d.orientation[which], ...value };
          return d;
        });
      };
    if (!input.value && has) return name(null);
    if (half.From && half.To && half.From !== half.To)
      return name({
        from: half.From,
        to: half.To,
        ...(which === 'axis' ? { direction: has?.direction ?? '+X' } : { metres: has?.metres ?? 1 }),
      });
    choose(`${which}From:${half.From}`);
    choose(`${which}To:${half.To}`);
    return null;
  },
  standIn: (what) =>
    setHand(async (p) => {
      try {
        const { point } = await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`));
        await save((d) => {
          const id = freeId(d.standIns, what);
          d.standIns.push({ id, box: what === 'box', position: point, heightMetres: heights[what] });
          state.chosen.standIn = id;
          return d;
        });
      } catch (e) {
        tell('told', e);
      }
    }),
};
