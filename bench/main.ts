/**
 * `npm run bench -- [AREA] [--json] [--short]`: measures, prints a line a figure, and fails when a target is missed. A
 * short run only shows that every area comes to its end.
 */
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { backingFigures } from './backing';
import { bankFigures } from './banks';
import { beatFigures } from './beats';
import { boundFigures } from './bounds';
import { chartFigures } from './chart';
import { demoFigures } from './demo';
import type { Figure } from './figure';
import { grandFigures } from './grand';
import { growthFigures } from './growth';
import { handoverFigures } from './handOver';
import { laneFigures } from './lanes';
import { lineFigures } from './lineCheck';
import { sessionFigures } from './session';
import { settingFigures } from './settings';
import { SHORT } from './sizes';
import { bounceFigures, soundFigures } from './sound';
import { lookBackFigures } from './lookBack';
import { passFigures } from './passes';
import { pickingFigures } from './picking';
import { timeStretchFigures } from './timeStretch';
import { onsetFigures } from './onsets';
import { tidyFigures } from './tidying';
import { timeFigures } from './time';
import { timingFigures } from './timing';
import { tuningFigures } from './tuning';
import { waitFigures } from './waits';
import { yearsFigures } from './years';

/** Area of figures, with its time limit on a busy machine. */
interface Area {
  readonly figures: () => Promise<Figure[]>;
  /** Time limit in minutes. An area that exceeds it is ended, and counts as missed. */
  readonly within: number;
}
const AREAS: Readonly<Record<string, Area>> = {
  time: { figures: timeFigures, within: 5 },
  beats: { figures: beatFigures, within: 20 },
  tuning: { figures: tuningFigures, within: 20 },
  backing: { figures: backingFigures, within: 15 },
  stretch: { figures: timeStretchFigures, within: 10 },
  line: { figures: lineFigures, within: 20 },
  passes: { figures: passFigures, within: 15 },
  pick: { figures: pickingFigures, within: 10 },
  lanes: { figures: laneFigures, within: 10 },
  tidy: { figures: tidyFigures, within: 15 },
  timing: { figures: timingFigures, within: 20 },
  session: { figures: sessionFigures, within: 20 },
  growth: { figures: growthFigures, within: 5 },
  bounds: { figures: boundFigures, within: 20 },
  settings: { figures: settingFigures, within: 10 },
  lookback: { figures: lookBackFigures, within: 10 },
  sound: { figures: soundFigures, within: 15 },
  grand: { figures: grandFigures, within: 15 },
  banks: { figures: bankFigures, within: 15 },
  bounce: { figures: bounceFigures, within: 15 },
  chart: { figures: chartFigures, within: 15 },
  demo: { figures: demoFigures, within: 10 },
  onsets: { figures: onsetFigures, within: 20 },
  waits: { figures: waitFigures, within: 20 },
  years: { figures: yearsFigures, within: 15 },
  handover: { figures: handoverFigures, within: 30 },
};

const args = process.argv.slice(2);
const json = args.includes('--json');
/** Environment of an area's process: sizes are read when its modules are. */
const env = args.includes('--short') ? { ...process.env, TALL_KETTLE_BENCH: 'short' } : process.env;
const ALONE = '--alone';
/** Exit code of a process whose figures miss a target. */
const SHORT_OF = 3;
const wanted = args.filter((a) => !a.startsWith('--'));
const unknown = wanted.filter((a) => !AREAS[a]);
if (unknown.length) {
  console.error(`There is no area ${unknown.join(', ')}. There are ${Object.keys(AREAS).join(', ')}.`);
  process.exit(2);
}

const shown = (value: number): string =>
  value !== 0 && Math.abs(value) < 0.001 ? value.toExponential(1) : String(Math.round(value * 1000) / 1000);
function verdictOf({ holds, notMeasured, target }: Figure): string {
  if (!target) return 'a bound';
  if (SHORT) return 'a short run';
  if (notMeasured) return `not measured: ${notMeasured}`;
  return holds ? 'holds' : 'MISSED';
}
function lineOf(figure: Figure): string {
  const { area, name, value, unit, target } = figure;
  const left = `${area.padEnd(8)} ${name.padEnd(82)} ${shown(value).padStart(9)}`;
  return `${left} ${unit.padEnd(7)} ${target.padEnd(14)} ${verdictOf(figure)}`;
}

/** Measures an area in this process. @returns true if all targets are reached */
async function alone(area: string): Promise<boolean> {
  const figures = await AREAS[area]!.figures();
  for (const figure of figures) console.log(json ? JSON.stringify(figure) : lineOf(figure));
  return SHORT || figures.every((f) => f.holds || f.notMeasured);
}

/** Measures areas in processes of their own, so that a crash or a hang stops no other. */
async function inTurn(area: string): Promise<boolean> {
  const { within } = AREAS[area]!;
  if (!json) console.log(`${area}: at most ${within} minutes`);
  const began = performance.now();
  const main = fileURLToPath(import.meta.url);
  const given = [...process.execArgv, main, area, ALONE, ...(json ? ['--json'] : [])];
  const child = spawn(process.execPath, given, { stdio: ['ignore', 'inherit', 'inherit'], env });
  const late = setTimeout(() => child.kill('SIGKILL'), within * 60_000);
  const code = await new Promise<number | null>((done) => child.once('exit', done));
  clearTimeout(late);
  const seconds = Math.round((performance.now() - began) / 1000);
  const ends = code === null ? `was ended after ${within} minutes` : 'broke';
  if (code !== 0 && code !== SHORT_OF) console.error(`${area} ${ends}: its figures are MISSED.`);
  else if (!json) console.log(`${area}: ${seconds} s\n`);
  return code === 0;
}

let all = true;
for (const area of wanted.length ? wanted : Object.keys(AREAS))
  all = (await (args.includes(ALONE) ? alone(area) : inTurn(area))) && all;
const short = args.includes(ALONE) ? SHORT_OF : 1;
process.exit(all ? 0 : short);
