// What has become of a document, as named edits: the server lays them on the newest one, and says at which place they do not fit.

const keyOf = (item) => {
  const key = item?.id ?? item?.name ?? item?.frame;
  return key === undefined || key === null ? null : String(key);
};
// Members of a list that each are known by something; null: the list is one value.
function keyed(list) {
  const keys = list.map((i) => (typeof i === 'object' && !Array.isArray(i) ? keyOf(i) : null));
  return keys.includes(null) || new Set(keys).size < keys.length ? null : keys;
}
export const escaped = (key) => key.replaceAll('~', '~0').replaceAll('/', '~1');
const isObject = (v) => typeof v === 'object' && v !== null && !Array.isArray(v);

export function same(a, b) {
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((v, i) => same(v, b[i]));
  if (isObject(a) && isObject(b)) return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => same(a[k], b[k]));
  return (a ?? null) === (b ?? null);
}

export function editsBetween(before, after, at = '') {
  const inner = (key) => (at ? `${at}/${escaped(key)}` : key);
  if (isObject(before) && isObject(after))
    return [...new Set([...Object.keys(before), ...Object.keys(after)])].flatMap((k) => editsBetween(before[k], after[k], inner(k)));
  if (Array.isArray(before) && Array.isArray(after)) {
    const was = keyed(before),
      is = keyed(after);
    if (was && is) {
      const stays = is.filter((k) => was.includes(k));
      // In another order they are another list.
      if (
        same(
          stays,
          was.filter((k) => is.includes(k)),
        )
      )
        return [
          ...was.flatMap((k, i) => (is.includes(k) ? [] : [{ edit: 'remove', at: inner(k), from: before[i] }])),
          ...stays.flatMap((k) => editsBetween(before[was.indexOf(k)], after[is.indexOf(k)], inner(k))),
          ...is.flatMap((k, i) =>
            was.includes(k) ? [] : [{ edit: 'add', at, item: after[i], before: is.slice(i + 1).find((q) => was.includes(q)) ?? null }],
          ),
        ];
    }
  }
  if (same(before, after)) return [];
  // An entry of a table that is gone is taken away; a value that is gone is left open.
  if (after === undefined && /^tolerances\//.test(at)) return [{ edit: 'remove', at, from: before }];
  return [{ edit: 'set', at, from: before ?? null, to: after ?? null }];
}

// By what it is known by; of a list whose members are known by nothing, by its place.
const indexIn = (list, key) => {
  const i = list.findIndex((q) => keyOf(q) === key);
  return i < 0 && /^\d+$/.test(key) && list.every((q) => keyOf(q) === null) && Number(key) < list.length ? Number(key) : i;
};
// Sets a place of a document, as edits name it: members of lists by id, name or frame; undefined takes it away. A member that is not there begins as is said.
export function put(d, at, value, begins = null, before = null) {
  const path = at.split('/').map((s) => s.replaceAll('~1', '/').replaceAll('~0', '~')),
    last = path.pop();
  let node = d;
  path.forEach((key, i) => {
    if (Array.isArray(node)) {
      let item = node[indexIn(node, key)];
      if (!item && begins) {
        item = structuredClone(begins);
        node.push(item);
        if ('frame' in item) node.sort((a, b) => a.frame - b.frame);
      }
      if (!item) throw new Error(`${key} is no longer there.`);
      node = item;
    } else {
      node[key] ??= begins && keyOf(begins) === null ? structuredClone(begins) : begins && i === path.length - 2 ? [] : {};
      node = node[key];
    }
  });
  if (Array.isArray(node)) {
    const i = indexIn(node, last),
      to = before === null ? -1 : node.findIndex((q) => keyOf(q) === before);
    if (value === undefined) node.splice(i, i < 0 ? 0 : 1);
    else if (i >= 0) node[i] = value;
    else node.splice(to < 0 ? node.length : to, 0, value);
  } else if (value === undefined) delete node[last];
  else node[last] = value;
  return d;
}

// Another place in the order of its list: before the one that is named, or last.
export function move(d, at, before) {
  const path = at.split('/'),
    key = path.pop(),
    list = path.reduce((node, k) => (Array.isArray(node) ? node[indexIn(node, k)] : node[k]), d),
    [own] = list.splice(indexIn(list, key), 1),
    to = before === null ? -1 : indexIn(list, before);
  list.splice(to < 0 ? list.length : to, 0, own);
  return d;
}

export function freeId(list, stem) {
  let n = 1;
  while (list.some((q) => q.id === `${stem}_${n}`)) n++;
  return `${stem}_${n}`;
}

// Edits that add, as the server wrote them for the document that it drew: where their ids are taken by now they take the next that are free.
export function withFreeIds(edits, d) {
  const at = (path) => path.split('/').reduce((node, k) => (Array.isArray(node) ? node[indexIn(node, k)] : node?.[k]), d),
    renamed = new Map();
  const made = edits.map((e) => {
    if (e.edit !== 'add' || !(at(e.at) ?? []).some((q) => q.id === e.item.id)) return e;
    const id = freeId(at(e.at), e.item.id.replace(/_\d+$/, '')),
      item = { ...e.item, id };
    if (e.item.name === e.item.id.replaceAll('_', ' ')) item.name = id.replaceAll('_', ' ');
    renamed.set(e.item.id, id);
    return { ...e, item };
  });
  const parts = (path) => path.split('/').map((k) => renamed.get(k) ?? k);
  return { edits: made.map((e) => (e.edit === 'add' ? e : { ...e, at: parts(e.at).join('/') })), renamed };
}
