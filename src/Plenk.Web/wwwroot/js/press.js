// What a press on the sheet does, as its buttons say: edits, a request to the API, a hand of the step's module, a look, a choice, files brought in.
import { post, upload } from './api.js';
import { put, withFreeIds } from './edits.js';
import { forget, lay, pointTo, valueOf, wrongBeside } from './fields.js';
import { telling } from './told.js';
import { choose, inLine, save, setFrame, setStep, state, tell } from './state.js';

const body = document.getElementById('sheet-body');

// One that is added is chosen at once.
function edited(given, to) {
  const { edits, renamed } = withFreeIds(given, state.document);
  save((d) => edits.reduce(lay, d), edits);
  if (to === undefined) return;
  const [kind, id] = [to.slice(0, to.indexOf(':')), to.slice(to.indexOf(':') + 1)];
  choose(`${kind}:${renamed.get(id) ?? id}`);
}

function bodyOf(button) {
  const given = JSON.parse(button.dataset.body ?? '{}');
  for (const said of (button.dataset.with ?? '').split(' ').filter(Boolean)) {
    const [key, name = key] = said.split('='),
      i = body.querySelector(`[name="${name}"]`);
    given[key] = i.type === 'checkbox' ? i.checked : valueOf(i);
  }
  return given;
}
// What the API answers: a state of the shot is taken, a value is set at the place that the button names, notes are told.
async function answered(answer, { into, take: part }) {
  const value = part ? answer[part] : answer;
  if (into) await save((d) => put(d, into, value));
  const notes = answer?.notes ?? (answer?.note ? [answer.note] : []);
  if (answer?.said) tell('told', { message: [answer.said, ...notes].join(' '), fine: true });
  else if (notes.length) tell('told', { notes, found: !!answer.state });
}
async function send(button) {
  if (button.dataset.telling) tell('told', { message: button.dataset.telling, fine: true });
  state.holding++;
  try {
    // After what was saved before it; while it is worked on others are saved.
    await inLine(() => null);
    const answer = await post(button.dataset.post, { baseRevision: state.revision, ...bodyOf(button) });
    if (!button.dataset.telling) tell('told', null);
    await inLine(() => answer);
    await answered(answer, button.dataset);
    if (answer?.redraw) tell('chosen');
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  } finally {
    state.holding--;
  }
}
async function bring(form) {
  if (form.dataset.while) tell('told', telling(form.dataset.while));
  const sent = new FormData(form);
  if (![...form.querySelectorAll('input[type=file]')].some((i) => i.files.length)) sent.delete('files');
  try {
    const answer = await inLine(() => upload(form.dataset.upload, sent));
    // What goes on in the tray may be refused there: what was typed stays until it has come in.
    if (!form.dataset.telling) {
      form.reset();
      forget(form);
    }
    tell('told', form.dataset.telling ? telling(form.dataset.telling) : null);
    await answered(answer, form.dataset);
    if (form.dataset.chooses) {
      const [kind, of] = form.dataset.chooses.split(':');
      choose(
        `${kind}:${of
          .split(',')
          .map((k) => answer[k])
          .join('|')}`,
      );
    }
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
}

function goWorst(r) {
  if (!r) return;
  state.worst = r;
  if (r.frame) setFrame(r.frame);
  tell('chosen');
}

// What the line above the sheet names is brought into sight, where the next press or the next word goes.
function show(words) {
  const starts = (e) => e.textContent.trim().startsWith(words),
    found = [...body.querySelectorAll('button:not([data-show]), summary, label')].find(starts),
    fold = found?.closest('details');
  if (!found) return;
  if (fold && found.tagName !== 'SUMMARY') fold.open = true;
  const to = found.control ?? found;
  to.scrollIntoView({ block: 'center' });
  to.focus();
}

export function pressed(e, handOf) {
  const next = e.target.closest('a[data-goto]');
  if (next && !e.ctrlKey && !e.metaKey && !e.shiftKey) {
    e.preventDefault();
    setStep(Number(next.dataset.goto));
    return;
  }
  const button = e.target.closest('button, a[data-choose]');
  if (!button || !body.contains(button)) return;
  const { edits, editsOf, post: path, hand, compareWith, choose: to, reading, show: words } = button.dataset;
  if (words) show(words);
  if (edits || editsOf || path || hand || button.form?.dataset.upload) {
    const bad = wrongBeside(button);
    if (bad) {
      e.preventDefault();
      pointTo(bad);
      return;
    }
  }
  if (button.tagName === 'A' && (e.ctrlKey || e.metaKey || e.shiftKey)) return;
  if (!button.form?.dataset.upload) e.preventDefault();
  if (editsOf) {
    const given = JSON.parse(body.querySelector(`[name="${editsOf}"]`).value);
    edited(given.edits, given.choose);
    return;
  }
  if (edits) edited(JSON.parse(edits), to);
  else if (to !== undefined) choose(to);
  if (path) send(button);
  if (hand) handOf(hand)(button.dataset.on, button);
  if (compareWith) {
    if (compareWith.startsWith('version')) state.other ??= Math.max(1, state.revision - 1);
    state.compare = state.compare === compareWith ? 'after' : compareWith;
    tell('compare');
  }
  if (reading) {
    if (button.dataset.curve !== undefined) state.railReading = reading;
    goWorst(JSON.parse(button.dataset.worst || 'null'));
  }
}

export { bring };
