// A colour of the sheet is taken from the picture by a click.
import { put } from './edits.js';
import { pickAny } from './pick.js';
import { save, setHand } from './state.js';
import { guarded, wordFault } from './told.js';

export const hands = {
  takeColour(_, button) {
    const { at, begins } = button.closest('.field').querySelector('input').dataset;
    setHand(
      guarded(async ({ x, y }) => {
        const { linear } = await pickAny(x, y);
        if (!linear) throw wordFault('beside-picture');
        await save((d) => put(d, at, linear, begins ? JSON.parse(begins) : null));
        setHand(null);
      }),
    );
  },
};
