import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fillDemo } from '../scripts/lib.mjs';

/** Makes the demo's folder once, to be copied for each server. */
export default function setup(): () => void {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-demo-'));
  if (fillDemo(folder) !== 0) throw new Error('The demo data could not be made.');
  process.env.TALL_KETTLE_DEMO = folder;
  return () => rmSync(folder, { recursive: true, force: true });
}
