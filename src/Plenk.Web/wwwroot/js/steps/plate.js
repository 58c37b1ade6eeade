// The plate's hands: a folder of the server is brought in with what is typed beside the files, a contrast curve is found in the frame looked at.
import { get, upload } from '../api.js';
import { put } from '../edits.js';
import { inLine, on, save, setStep, state, tell } from '../state.js';
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

// A shot without a plate is one place to drop it: what is dropped, or chosen there, goes the way of the sheet's own chooser.
const drop = document.getElementById('drop'),
  picture = document.getElementById('picture');
async function bring(files) {
  if (state.step !== 1) setStep(1);
  for (let i = 0; i < 100 && !document.getElementById('bring-plate'); i++)
    await new Promise((f) => {
      setTimeout(f, 50);
    });
  const form = document.getElementById('bring-plate'),
    chooser = form.querySelector('input[type=file]');
  chooser.files = files;
  form.requestSubmit();
}
const isOpen = () => !drop.hidden;
picture.addEventListener('dragover', (e) => {
  if (!isOpen()) return;
  e.preventDefault();
  drop.classList.add('over');
});
picture.addEventListener('dragleave', () => drop.classList.remove('over'));
picture.addEventListener('drop', (e) => {
  if (!isOpen()) return;
  e.preventDefault();
  drop.classList.remove('over');
  if (e.dataTransfer.files.length) bring(e.dataTransfer.files);
});
drop.addEventListener('pointerdown', (e) => e.stopPropagation());
document.getElementById('drop-choose').addEventListener('click', () => {
  if (state.step !== 1) setStep(1);
  document.querySelector('#bring-plate input[type=file]')?.click();
});
on('document', () => {
  drop.hidden = !!state.document.plate;
});
// How far it is, and what was found, stands where it was dropped.
on('told', (m) => {
  document.getElementById('drop-says').textContent = m?.message ?? m?.notes?.join(' ') ?? '';
});
on('jobs', () => {
  const job = isOpen() && state.jobs.find((j) => j.kind === 'plate' && ['waiting', 'running'].includes(j.state));
  if (job) document.getElementById('drop-says').textContent = `${job.title}: ${job.done} / ${job.total}`;
});
