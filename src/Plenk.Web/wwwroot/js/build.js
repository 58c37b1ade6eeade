// Small builders for the sheet: elements, numbers with units, lists, messages.

export function h(tag, attributes = {}, ...children) {
  const e = document.createElement(tag);
  for (const [key, value] of Object.entries(attributes)) {
    if (value === undefined || value === null || value === false) continue;
    if (key.startsWith('on')) e.addEventListener(key.slice(2), value);
    else if (key === 'class') e.className = value;
    else if (key in e && key !== 'list' && key !== 'form') e[key] = value;
    else e.setAttribute(key, value === true ? '' : value);
  }
  e.append(...children.filter((c) => c !== null && c !== undefined && c !== false));
  return e;
}

export function told(error, fine = false) {
  const box = h(
    'div',
    { class: `told${fine ? ' fine' : ''}`, role: fine ? 'status' : 'alert' },
    h('p', {}, error.message || String(error)),
  );
  if (error.mend) box.append(h('p', { class: 'quiet' }, error.mend));
  return box;
}

export function notes(lines, title = 'What was found on arrival:', fine = false) {
  return h(
    'div',
    { class: `told${fine ? ' fine' : ''}`, role: 'status' },
    h('p', {}, title),
    h('ul', {}, ...lines.map((l) => h('li', {}, l))),
  );
}

// What may be typed behind a number, per base unit.
const units = {
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000, ft: 0.3048, in: 0.0254 },
  mm: { mm: 1, cm: 10, m: 1000, in: 25.4 },
  '°': { '°': 1, deg: 1, rad: 180 / Math.PI },
  px: { px: 1 },
};

export function parseNumber(text, unit) {
  const match = /^\s*([+\-−]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*([a-z°%]*)\s*$/i.exec(text.replace('−', '-'));
  if (!match) return NaN;
  const value = Number(match[1]);
  const typed = match[2].toLowerCase();
  if (!typed) return value;
  const factor = (units[unit] || {})[typed];
  return factor === undefined ? NaN : value * factor;
}

// A time to wait, as one says it.
export const sayTime = (s) => (s < 90 ? `${Math.ceil(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`);

export const show = (v, digits = 3) =>
  v === null || v === undefined || Number.isNaN(v)
    ? ''
    : Number(v)
        .toFixed(digits)
        .replace(/\.?0+$/, '')
        .replace(/^-0$/, '0') || '0';

let serial = 0;

// A number in a blank; `change` gets the value in the base unit. A text that is no number stays and is told.
export function number(label, value, unit, change, options = {}) {
  const id = `f${++serial}`;
  const input = h('input', {
    id,
    type: 'text',
    defaultValue: show(value, options.digits ?? 3),
    disabled: options.disabled,
    name: options.name,
  });
  const apply = () => {
    const v = parseNumber(input.value, unit);
    const bad = Number.isNaN(v) || (options.min !== undefined && v < options.min) || (options.max !== undefined && v > options.max);
    input.setAttribute('aria-invalid', bad ? 'true' : 'false');
    input.title = bad
      ? `A number${unit ? ` in ${unit}` : ''}${options.min !== undefined ? ` from ${options.min}` : ''}${options.max !== undefined ? ` to ${options.max}` : ''}`
      : '';
    if (bad) return;
    input.defaultValue = input.value;
    if (!(Math.abs(v - value) <= 1e-12)) {
      value = v;
      change(v);
    }
  };
  input.addEventListener('change', apply);
  input.addEventListener('keydown', (e) => {
    if (e.key === 'Enter') {
      apply();
      e.preventDefault();
    }
    e.stopPropagation();
  });
  return h('div', { class: 'field' }, h('label', { htmlFor: id }, label), input, h('span', { class: 'unit' }, unit || ''));
}

export function triple(label, values, unit, change, digits = 3, disabled = false) {
  const inputs = values.map((v, i) =>
    h('input', { type: 'text', disabled, defaultValue: show(v, digits), 'aria-label': `${label} ${'XYZ'[i]}` }),
  );
  const apply = () => {
    // What was not typed anew keeps all its digits, not only those shown.
    const parsed = inputs.map((i, k) => (i.value === i.defaultValue ? values[k] : parseNumber(i.value, unit)));
    inputs.forEach((i, k) => i.setAttribute('aria-invalid', Number.isNaN(parsed[k]) ? 'true' : 'false'));
    if (parsed.some(Number.isNaN)) return;
    for (const i of inputs) i.defaultValue = i.value;
    if (parsed.some((v, k) => Math.abs(v - values[k]) > 1e-9)) {
      values = parsed;
      change(parsed);
    }
  };
  for (const i of inputs) {
    i.addEventListener('change', apply);
    i.addEventListener('keydown', (e) => {
      if (e.key === 'Enter') apply();
      e.stopPropagation();
    });
  }
  return h(
    'div',
    { class: 'field', style: 'grid-template-columns: auto 1fr 24px' },
    h('span', {}, label),
    h('span', { class: 'triple', style: 'justify-content: end' }, ...inputs),
    h('span', { class: 'unit' }, unit || ''),
  );
}

export function text(label, value, change, options = {}) {
  const id = `f${++serial}`;
  const input = h('input', {
    id,
    type: 'text',
    class: 'wide',
    defaultValue: value ?? '',
    name: options.name,
    placeholder: options.placeholder || '',
  });
  if (change)
    input.addEventListener('change', () => {
      input.defaultValue = input.value;
      change(input.value.trim());
    });
  input.addEventListener('keydown', (e) => e.stopPropagation());
  return h('div', { class: 'field' }, h('label', { htmlFor: id }, label), input, h('span', { class: 'unit' }, options.unit || ''));
}

export const sayRate = (r) => (r.den === 1 ? `${r.num}` : `${r.num}/${r.den}`);

// A text that stands for something: `read` makes it of the text, undefined where it is none; then the text stays and `hint` says what is meant.
export function textOf(label, value, read, hint, change, options = {}) {
  const field = text(
    label,
    value,
    (v) => {
      const input = field.querySelector('input'),
        made = read(v),
        fine = made !== undefined;
      input.setAttribute('aria-invalid', fine ? 'false' : 'true');
      input.title = fine ? '' : hint;
      if (fine) change(made);
    },
    options,
  );
  return field;
}

// Frames a second: whole, or as a fraction like 24000/1001.
const rateField = (rate, change) =>
  textOf(
    'Rate',
    sayRate(rate),
    (v) => {
      const [, n, d = '1'] = /^(\d+)(?:\s*\/\s*(\d+))?$/.exec(v) || [];
      return n > 0 && d > 0 ? { num: Number(n), den: Number(d) } : undefined;
    },
    'Whole, like 25, or a fraction, like 24000/1001',
    change,
    { unit: 'fps' },
  );

// Pictures brought in: how many, and which of theirs lies on which of the shot's. `of` finds them in what is edited.
export function frameTiming(f, edit, of) {
  const out = [quiet(`${f.frames.length} picture${f.frames.length === 1 ? '' : 's'}, ${f.frames[0].file}`)];
  if (f.frames.length < 2) return out;
  return [
    ...out,
    number(
      'Its frame',
      f.mapping.sourceFrame,
      '',
      (v) =>
        edit('first frame', (x) => {
          of(x).mapping.sourceFrame = v;
        }),
      { digits: 2 },
    ),
    number('lies on the shot’s', f.mapping.shotFrame, '', (v) =>
      edit('first frame', (x) => {
        of(x).mapping.shotFrame = Math.round(v);
      }),
    ),
    rateField(f.rate, (v) =>
      edit('rate', (x) => {
        of(x).rate = v;
      }),
    ),
  ];
}

export function choice(label, value, options, change, name) {
  const id = `f${++serial}`;
  const select = h('select', { id, class: 'blank', name }, ...options.map(([v, t]) => h('option', { value: v, selected: v === value }, t)));
  select.addEventListener('change', () => change(select.value));
  return h('div', { class: 'field' }, h('label', { htmlFor: id }, label), select, h('span'));
}

export function tick(label, value, change, aside) {
  const input = h('input', { type: 'checkbox', checked: value });
  input.addEventListener('change', () => change(input.checked));
  return h('label', { class: 'tick' }, input, label, aside ? h('span', { class: 'num quiet' }, aside) : null);
}

// A number that is none, in the same part of the sheet: what stands beside it waits until it is mended. Null: none is.
function wrongBeside(b) {
  const sheet = b.closest('#sheet'),
    top = sheet && [...sheet.children].find((c) => c.contains(b)),
    isHead = (c) => ['H2', 'H3'].includes(c.tagName);
  if (!top) return null;
  for (let part = top; part && !(isHead(part) && part !== top); part = part.previousElementSibling) {
    const wrong = part.matches('[aria-invalid=true]') ? part : part.querySelector('[aria-invalid=true]');
    if (wrong) return wrong;
  }
  return null;
}

export const button = (label, act, options = {}) =>
  h(
    'button',
    {
      type: 'button',
      onclick: (e) => {
        const wrong = wrongBeside(e.currentTarget);
        if (!wrong) return act(e);
        wrong.focus();
        wrong.setCustomValidity(wrong.title || 'This is not what can stand here.');
        wrong.reportValidity();
        wrong.addEventListener('input', () => wrong.setCustomValidity(''), { once: true });
        return undefined;
      },
      class: options.next ? 'next' : '',
      disabled: options.disabled,
      title: options.title,
      id: options.id,
    },
    label,
  );
// How codes stand for light, as the document and its standards name them.
export const encodings = [
  ['srgb', 'sRGB'],
  ['bt1886', 'BT.1886'],
  ['bt709', 'BT.709 camera'],
  ['pq', 'BT.2100 PQ'],
  ['hlg', 'BT.2100 HLG'],
  ['acesCct', 'ACEScct'],
  ['printingDensity', 'printing density'],
  ['linear', 'linear light'],
];

// The primaries of that light, and those that an encoding's standard goes with.
export const primaries = [
  ['bt709', 'BT.709'],
  ['bt2020', 'BT.2020'],
  ['acescg', 'ACEScg'],
  ['aces2065-1', 'ACES2065-1'],
];
export const usualPrimaries = (encoding) => ({ acesCct: 'acescg', pq: 'bt2020', hlg: 'bt2020' })[encoding] ?? 'bt709';

export const heading = (t) => h('h3', {}, t);
export const quiet = (t) => h('p', { class: 'quiet' }, t);

// A part of the sheet that opens on a press and stays open while it is drawn anew.
const opened = new Set();
export function fold(title, key, ...children) {
  const box = h('details', { open: opened.has(key), 'data-fold': key }, h('summary', {}, title), ...children);
  box.addEventListener('toggle', () => {
    if (box.open) opened.add(key);
    else opened.delete(key);
  });
  return box;
}

export function rows(items, chosen, choose, options = {}) {
  return h(
    'ul',
    { class: `rows${options.long ? ' long' : ''}` },
    ...items.map((i) =>
      h(
        'li',
        {},
        h(
          'button',
          {
            type: 'button',
            'aria-pressed': (Array.isArray(chosen) ? chosen.includes(i.id) : i.id === chosen) ? 'true' : 'false',
            onclick: () => choose(i.id === chosen ? null : i.id),
            'data-row': i.id,
          },
          h('span', {}, i.name),
          h('span', { class: 'num quiet' }, i.value || ''),
        ),
      ),
    ),
  );
}
