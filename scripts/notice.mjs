/** `node scripts/notice.mjs`: writes NOTICE, which names whatever ships with the program and under which licence. */
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { join } from 'node:path';
import { ROOT } from './lib.mjs';

const packageAt = (folder) => JSON.parse(readFileSync(join(ROOT, folder, 'package.json'), 'utf8'));

/** Text of NOTICE, from the installed packages. */
export function notice() {
  const rows = Object.keys(packageAt('.').dependencies)
    .sort()
    .map((name) => {
      const { license, homepage = '' } = packageAt(`node_modules/${name}`);
      return `${name}: ${license}${homepage ? `, ${homepage}` : ''}`;
    });
  return [
    'Tall Kettle ships with the work of others. Each keeps its own licence; the full text lies in its package, and for',
    'fonts and sounds in public/licences.',
    '',
    'Fonts: Fraunces, Figtree and Spline Sans Mono, under the SIL Open Font License 1.1.',
    'Sounds: FluidR3Mono, a General MIDI bank, under the MIT licence. The grand is made of the recordings of',
    '“Salamander Grand Piano V3” by Alexander Holm, under the Creative Commons Attribution 3.0 licence; what was',
    'changed is said in public/licences/grand.txt.',
    'Fonts and decoders for PDF pages (Foxit, Liberation, OpenJPEG, JBIG2, QCMS, Adobe’s character maps): under the',
    'licences that lie beside them in pdfjs-dist, and are served with them under /pdf.',
    '',
    'Packages that are part of the program or build it:',
    '',
    ...rows,
    '',
  ].join('\n');
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href)
  writeFileSync(fileURLToPath(new URL('../NOTICE', import.meta.url)), notice());
