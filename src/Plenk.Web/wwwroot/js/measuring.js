// The readings of the revision that is looked at, asked for while they are measured.
import { get } from './api.js';
import { on, state, tell } from './state.js';

let asked = 0;
export async function measure() {
  const mine = ++asked;
  Object.assign(state, { readings: null, measuring: null });
  tell('readings');
  // Measuring waits until the hand rests.
  await new Promise((f) => {
    setTimeout(f, 600);
  });
  for (let i = 0, failed = 0; mine === asked; i++) {
    // Nobody asks, nothing is measured: while one plays or waits for something else the cores are for that.
    if (!state.playing && !state.holding && !document.hidden) {
      try {
        const r = await get(`/api/shots/${state.id}/readings?revision=${state.revision}`);
        failed = 0;
        if (mine !== asked) return;
        if (Array.isArray(r)) {
          Object.assign(state, { readings: r, measuring: null });
          tell('readings');
          return;
        }
        state.measuring = r;
      } catch (e) {
        failed++;
        state.measuring = { failed: e.message };
      }
      tell('readings');
      if (failed === 5) return;
    }
    await new Promise((f) => {
      setTimeout(f, i < 50 ? 400 : 1500);
    });
  }
}
on('measure-again', measure);
