// The plate's own settings: what of it the cut uses, whether it is a proxy, what it can be seen through.
import { get, post } from './api.js';
import { button, h, heading, number, quiet, tick } from './build.js';
import { save, state, tell } from './state.js';

const change = (what, act) =>
  save(what, (d) => {
    act(d);
    return d;
  });
const look = (what, act) =>
  change(what, (d) => {
    d.look ||= {};
    act(d.look);
  });

function range(d) {
  const { first, last } = d.range,
    cut = d.cut;
  const to = (a, b) =>
    change('Cut', (x) => {
      x.cut = a === first && b === last ? null : { first: a, last: b };
    });
  return [
    heading('Cut and handles'),
    number('The cut begins at', cut?.first ?? first, '', (v) => to(Math.round(v), cut?.last ?? last), { min: first, max: last }),
    number('and ends at', cut?.last ?? last, '', (v) => to(cut?.first ?? first, Math.round(v)), { min: first, max: last }),
    quiet(
      cut
        ? `Handles: ${cut.first - first} frames before, ${last - cut.last} after. They are tracked and solved too; renders keep to the cut.`
        : 'No handles: the cut uses every frame.',
    ),
  ];
}

function proxy(p) {
  const full = (w, hgt) =>
    change('Proxy', (x) => {
      x.plate.fullWidth = w;
      x.plate.fullHeight = hgt;
    });
  return [
    h(
      'div',
      { class: 'actions' },
      p.fullWidth ? button('It is no proxy', () => full(null, null)) : button('It is a proxy', () => full(2 * p.width, 2 * p.height)),
    ),
    ...(p.fullWidth
      ? [
          number('Full width', p.fullWidth, 'px', (v) => full(Math.round(v), Math.round((v * p.height) / p.width)), { min: p.width }),
          quiet(
            `One pixel here is ${(p.fullWidth / p.width).toFixed(2)} px of the footage: errors in pixels grow by that. Cameras leave at ${p.fullWidth}×${p.fullHeight}.`,
          ),
        ]
      : []),
  ];
}

function through(bringIn, l) {
  const c = l.curve;
  return [
    heading('Seen through'),
    quiet('Only what is seen changes, never the data; choose above the picture.'),
    bringIn('Bring a LUT or CDL in', 'look', '.cube,.cdl,.cc,.ccc'),
    l.lutMedia
      ? h(
          'div',
          { class: 'actions' },
          h('span', { class: 'num' }, `LUT ${l.lutName}`),
          button('Take the LUT away', () =>
            look('LUT taken away', (x) => {
              x.lutMedia = null;
              x.lutName = '';
            }),
          ),
        )
      : null,
    l.cdl
      ? h(
          'div',
          { class: 'actions' },
          h(
            'span',
            { class: 'num' },
            `CDL ${l.cdl.name}: slope ${l.cdl.slope.map((v) => +v.toFixed(3)).join(' ')}, offset ${l.cdl.offset.map((v) => +v.toFixed(3)).join(' ')}, power ${l.cdl.power.map((v) => +v.toFixed(3)).join(' ')}, saturation ${+l.cdl.saturation.toFixed(3)}`,
          ),
          button('Take the CDL away', () =>
            look('CDL taken away', (x) => {
              x.cdl = null;
            }),
          ),
        )
      : null,
    h(
      'div',
      { class: 'actions' },
      button(c ? 'Contrast curve anew from this frame' : 'Contrast curve from this frame', async () => {
        try {
          const curve = await get(`/api/shots/${state.id}/frames/${state.frame}/curve`);
          await look('Contrast curve', (x) => {
            x.curve = curve;
          });
        } catch (e) {
          tell('told', e);
        }
      }),
      c
        ? button('Without a curve', () =>
            look('Contrast curve taken away', (x) => {
              x.curve = null;
              x.trackThroughCurve = false;
            }),
          )
        : null,
    ),
    ...(c
      ? [
          number(
            'Black at',
            c.black,
            '',
            (v) =>
              look('Contrast curve', (x) => {
                x.curve.black = v;
              }),
            { min: 0, max: 1, digits: 4 },
          ),
          number(
            'White at',
            c.white,
            '',
            (v) =>
              look('Contrast curve', (x) => {
                x.curve.white = v;
              }),
            { min: 0, max: 1, digits: 4 },
          ),
          number(
            'Gamma',
            c.gamma,
            '',
            (v) =>
              look('Contrast curve', (x) => {
                x.curve.gamma = v;
              }),
            { min: 0.1, max: 10 },
          ),
          tick('track through the curve', !!l.trackThroughCurve, (v) =>
            look('Tracking through the curve', (x) => {
              x.trackThroughCurve = v;
            }),
          ),
        ]
      : []),
  ];
}

function grain(d) {
  const g = d.plate.grainFree;
  return [
    heading('Grain-free copy'),
    g
      ? h(
          'p',
          { class: 'num', id: 'grain-free' },
          `${g.frames.length} frames; ${((100 * g.noiseLeft) / g.noiseBefore).toFixed(0)} % of the grain is left (${(255 * g.noiseBefore).toFixed(2)} codes of 8 bits before, ${(255 * g.noiseLeft).toFixed(2)} after)`,
        )
      : quiet('Averaged along motion with the frames around. Held frames are projected from it, so that no grain freezes on the set.'),
    h(
      'div',
      { class: 'actions' },
      button(
        g
          ? 'Make it again'
          : `Make a grain-free copy, about ${Math.ceil((d.range.last - d.range.first + 1) * d.plate.width * d.plate.height * 2.3e-6)} s`,
        async () => {
          try {
            await post(`/api/shots/${state.id}/grain-free`, {});
            tell('told', null);
            tell('jobs-now');
          } catch (e) {
            tell('told', e);
          }
        },
      ),
      g
        ? button('Without it', () =>
            change('Grain-free copy taken away', (x) => {
              x.plate.grainFree = null;
            }),
          )
        : null,
    ),
    g
      ? tick('track the grain-free copy', !!d.look?.trackGrainFree, (v) =>
          look('Tracking the grain-free copy', (x) => {
            x.trackGrainFree = v;
          }),
        )
      : null,
  ];
}

export function plateSection(bringIn) {
  const d = state.document;
  return d.plate ? [...range(d), ...proxy(d.plate), ...through(bringIn, d.look || {}), ...grain(d)].filter(Boolean) : [];
}
