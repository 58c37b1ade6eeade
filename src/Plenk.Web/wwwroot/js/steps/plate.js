// The plate's hands: a folder of the server is brought in with what is typed beside the files, a contrast curve is found in the frame looked at.
import { get, upload } from '../api.js';
import { put } from '../edits.js';
import { inLine, save, state, tell } from '../state.js';
import { telling } from '../told.js';

export const hands = {
  async bringFolder() {
    const form = document.getElementById('bring-plate'),
      sent = new FormData(form);
    sent.delete('files');
    sent.append('folder', document.querySelector('#sheet-body [name=folder]').value);
    try {
      await inLine(() => upload(`/api/shots/${state.id}/plate-from-folder`, sent));
      tell('told', telling(form.dataset.telling));
      tell('jobs-now');
    } catch (e) {
      tell('told', e);
    }
  },
  async curve() {
    try {
      const curve = await get(`/api/shots/${state.id}/frames/${state.frame}/curve`);
      await save((d) => put(d, 'look/curve', curve));
    } catch (e) {
      tell('told', e);
    }
  },
  fullWidth(_, input, full) {
    save((d) => {
      Object.assign(d.plate, { fullWidth: full, fullHeight: Math.round((full * d.plate.height) / d.plate.width) });
      return d;
    });
  },
};
