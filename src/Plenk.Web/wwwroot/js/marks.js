// Drawings as nodes: a template of our own is read once, and what stands in it (names, numbers, other nodes) is put in as attribute or as text, never read as marks.
const space = 'http://www.w3.org/2000/svg';
const tag = /<(\/?)([a-zA-Z]+)((?:\s+[\w:-]+(?:="[^"]*")?)*)\s*(\/?)>|([^<]+)/g,
  attribute = /([\w:-]+)(?:="([^"]*)")?/g,
  hole = /\u0001(\d+)\u0002/;

function readOf(strings) {
  const text = strings.reduce((all, s, i) => `${all}${i ? `\u0001${i - 1}\u0002` : ''}${s}`, ''),
    marks = [];
  let read = 0;
  for (const [whole, close, name, attributes, empty, words] of text.matchAll(tag)) {
    read += whole.length;
    if (words !== undefined) marks.push({ words: words.split(hole) });
    else if (close) marks.push({ close: true });
    else
      marks.push({
        name,
        empty: !!empty,
        attributes: [...attributes.matchAll(attribute)].map(([, key, value]) => ({ key, value: (value ?? '').split(hole) })),
      });
  }
  // A hole stands within an attribute or among words; anywhere else the whole tag would be taken for words.
  if (read !== text.length) throw new Error(`This drawing cannot be read: ${text}`);
  return marks;
}

const known = new WeakMap();

export function mark(strings, ...values) {
  if (!known.has(strings)) known.set(strings, readOf(strings));
  const root = document.createDocumentFragment(),
    open = [root];
  for (const m of known.get(strings)) {
    if (m.words) {
      open
        .at(-1)
        .append(
          ...m.words
            .flatMap((w, i) => (i % 2 ? [values[w]].flat() : [w]))
            .filter((w) => w !== '' && w !== null && w !== undefined && w !== false),
        );
      continue;
    }
    if (m.close) {
      open.pop();
      continue;
    }
    const node = document.createElementNS(space, m.name);
    for (const { key, value } of m.attributes) {
      // A value that is nothing leaves the attribute away.
      if (
        value.length === 3 &&
        !value[0] &&
        !value[2] &&
        (values[value[1]] === null || values[value[1]] === undefined || values[value[1]] === false)
      )
        continue;
      node.setAttribute(key, value.map((v, i) => (i % 2 ? values[v] : v)).join(''));
    }
    open.at(-1).append(node);
    if (!m.empty) open.push(node);
  }
  return root;
}
