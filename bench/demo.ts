import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { launch, open } from '../harness/browser';
import { fillDemo, freePort, serve } from '../scripts/lib.mjs';
import { under, type Figure } from './figure';

/** Time from the command to the first page with its jobs, with the build in place. */
async function start(folder: string): Promise<number> {
  const browser = await launch();
  const began = performance.now();
  if (fillDemo(folder) !== 0) throw new Error('The demo data could not be made.');
  const { child, address } = await serve(folder, await freePort(), { stdio: 'ignore' });
  try {
    const { page } = await open(browser, address);
    await page.getByText('Marsh Light, series two').waitFor();
    return (performance.now() - began) / 1000;
  } finally {
    child.kill('SIGKILL');
    await browser.close();
  }
}

export async function demoFigures(): Promise<Figure[]> {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-bench-'));
  try {
    const first = await start(folder);
    const later = await start(folder);
    return [
      under('demo', 'first start, with the demo data made', first, 's', 30),
      under('demo', 'later start, to the first page', later, 's', 2),
    ];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
