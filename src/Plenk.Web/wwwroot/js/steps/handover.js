// Handing over: a hand-over is asked for, another revision is shown beside this one.
import { post } from '../api.js';
import { valueOf } from '../fields.js';
import { choose, state, tell } from '../state.js';

const formats = ['exr', 'png16', 'dpx', 'mp4', 'stills', 'contact'];

function asked(form) {
  const f = form.elements,
    text = (name) => f[name].value.trim();
  return {
    first: Number(text('first')),
    last: Number(text('last')),
    formats: formats.filter((name) => f[name].checked),
    layers: text('layers')
      ? text('layers')
          .split(',')
          .map((l) => l.trim())
          .filter(Boolean)
      : null,
    names: text('names') || null,
    compression: f.compression.value,
    partPerLayer: f.partPerLayer.checked,
    burnIn: f.burnIn.checked,
    throughLook: f.throughLook?.checked ?? true,
    overscan: valueOf(f.overscan) / 100,
    primaries: f.primaries.value,
  };
}

export const hands = {
  async render() {
    try {
      await post(`/api/shots/${state.id}/render`, asked(document.getElementById('hand-over')));
      tell('told', null);
      tell('jobs-now');
    } catch (e) {
      tell('told', e);
    }
  },
  other(_, input, revision) {
    state.other = revision;
    choose(`other:${revision}`);
    if (state.compare.startsWith('version')) tell('compare');
  },
};
