#!/usr/bin/env node
// Writes THIRD-PARTY-NOTICES.md anew from what the last restore brought: node scripts/notices.mjs
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');
const store = process.env.NUGET_PACKAGES ?? join(homedir(), '.nuget/packages');
const read = (...path) => readFileSync(join(...path), 'utf8').replace(/^\uFEFF/, '');
const shipped = [
  'three',
  '@fontsource-variable/atkinson-hyperlegible-next',
  '@fontsource-variable/source-serif-4',
  '@fontsource/ibm-plex-mono',
  'tailwindcss',
];

function nugets() {
  const found = new Set();
  for (const project of readdirSync(join(root, 'src'))) {
    const assets = join(root, 'src', project, 'obj/project.assets.json');
    if (!existsSync(assets)) throw new Error(`${project} is not restored: dotnet restore Plenk.slnx`);
    for (const [name, library] of Object.entries(JSON.parse(read(assets)).libraries)) if (library.type === 'package') found.add(name);
  }
  return [...found].sort().map((id) => {
    const [name, version] = id.split('/');
    const spec = read(store, name.toLowerCase(), version.toLowerCase(), `${name.toLowerCase()}.nuspec`);
    const part = (tag) => spec.match(new RegExp(`<${tag}[^>]*>([^<]*)<`))?.[1].trim();
    return { name, version, licence: part('license') ?? 'not stated', holder: part('copyright') ?? `Copyright ${part('authors')}` };
  });
}

function pages() {
  return shipped.map((name) => {
    const { version, license } = JSON.parse(read(root, 'node_modules', name, 'package.json'));
    const text = read(root, 'node_modules', name, 'LICENSE');
    return { name, version, licence: license, holder: text.match(/^.*copyright.*$/im)?.[0].trim() ?? '' };
  });
}

const row = (p) => `| ${p.name} | ${p.version} | ${p.licence} | ${p.holder.replaceAll('|', '/')} |`;
const common = (name) => read('/usr/share/common-licenses', name);
const texts = {
  MIT: read(root, 'node_modules/three/LICENSE').replace(/^Copyright.*$/m, 'Copyright: as in the table above'),
  'BSD-3-Clause': common('BSD').replace(/^Copyright[^]*?reserved\.\n/m, 'Copyright: as in the table above\n'),
  'Apache-2.0': common('Apache-2.0'),
  'LGPL-3.0': common('LGPL-3'),
  'GPL-3.0, which the LGPL is added to': common('GPL-3'),
  PostgreSQL:
    'Permission to use, copy, modify, and distribute this software and its documentation for any purpose, without fee, and without a written agreement is hereby granted, provided that the above copyright notice and this paragraph and the following two paragraphs appear in all copies.\n\nIN NO EVENT SHALL THE COPYRIGHT HOLDERS BE LIABLE TO ANY PARTY FOR DIRECT, INDIRECT, SPECIAL, INCIDENTAL, OR CONSEQUENTIAL DAMAGES, INCLUDING LOST PROFITS, ARISING OUT OF THE USE OF THIS SOFTWARE AND ITS DOCUMENTATION, EVEN IF THEY HAVE BEEN ADVISED OF THE POSSIBILITY OF SUCH DAMAGE.\n\nTHE COPYRIGHT HOLDERS SPECIFICALLY DISCLAIM ANY WARRANTIES, INCLUDING, BUT NOT LIMITED TO, THE IMPLIED WARRANTIES OF MERCHANTABILITY AND FITNESS FOR A PARTICULAR PURPOSE. THE SOFTWARE PROVIDED HEREUNDER IS ON AN "AS IS" BASIS, AND THE COPYRIGHT HOLDERS HAVE NO OBLIGATIONS TO PROVIDE MAINTENANCE, SUPPORT, UPDATES, ENHANCEMENTS, OR MODIFICATIONS.',
  'OFL-1.1': read(root, 'node_modules/@fontsource/ibm-plex-mono/LICENSE').replace(/^Copyright.*$/m, 'Copyright: as in the table above'),
};

writeFileSync(
  join(root, 'THIRD-PARTY-NOTICES.md'),
  `# Third-party notices

What Plenk ships beside its own code, made by \`node scripts/notices.mjs\`.

## .NET packages

| package | version | licence | |
|---|---|---|---|
${nugets().map(row).join('\n')}

libvips and what it is built from come in NetVips.Native as a library of their own, which can be replaced by another build.

## In the pages

| package | version | licence | |
|---|---|---|---|
${pages().map(row).join('\n')}

${Object.entries(texts)
  .map(([name, text]) => `## ${name}\n\n\`\`\`\n${text.trim()}\n\`\`\``)
  .join('\n\n')}
`,
);
