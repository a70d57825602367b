/** `npm run bench -- [AREA] [--json]`: measures, prints a line a figure, and fails when a target is missed. */
import { backingFigures } from './backing';
import { beatFigures } from './beats';
import { boundFigures } from './bounds';
import { chartFigures } from './chart';
import { demoFigures } from './demo';
import type { Figure } from './figure';
import { growthFigures } from './growth';
import { handoverFigures } from './handover';
import { laneFigures } from './lanes';
import { lineFigures } from './linecheck';
import { sessionFigures } from './session';
import { settingFigures } from './settings';
import { bounceFigures, soundFigures } from './sound';
import { lookBackFigures } from './lookback';
import { passFigures } from './passes';
import { pickingFigures } from './picking';
import { timeStretchFigures } from './timestretch';
import { strikeFigures } from './strikes';
import { tidyFigures } from './tidying';
import { timeFigures } from './time';
import { timingFigures } from './timing';
import { yearsFigures } from './years';

const AREAS: Readonly<Record<string, () => Promise<Figure[]>>> = {
  time: timeFigures,
  beats: beatFigures,
  backing: backingFigures,
  stretch: timeStretchFigures,
  line: lineFigures,
  passes: passFigures,
  pick: pickingFigures,
  lanes: laneFigures,
  tidy: tidyFigures,
  timing: timingFigures,
  session: sessionFigures,
  growth: growthFigures,
  bounds: boundFigures,
  settings: settingFigures,
  lookback: lookBackFigures,
  sound: soundFigures,
  bounce: bounceFigures,
  chart: chartFigures,
  demo: demoFigures,
  strikes: strikeFigures,
  years: yearsFigures,
  handover: handoverFigures,
};

const args = process.argv.slice(2);
const json = args.includes('--json');
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
  if (notMeasured) return `not measured: ${notMeasured}`;
  return holds ? 'holds' : 'MISSED';
}
function lineOf(figure: Figure): string {
  const { area, name, value, unit, target } = figure;
  const left = `${area.padEnd(8)} ${name.padEnd(82)} ${shown(value).padStart(9)}`;
  return `${left} ${unit.padEnd(7)} ${target.padEnd(14)} ${verdictOf(figure)}`;
}

let missed = 0;
for (const area of wanted.length ? wanted : Object.keys(AREAS)) {
  for (const figure of await AREAS[area]!()) {
    if (!figure.holds && !figure.notMeasured) missed += 1;
    console.log(json ? JSON.stringify(figure) : lineOf(figure));
  }
}
process.exit(missed ? 1 : 0);
