import { compareTakes, type Comparison } from '~~/core/picking/compare';
import type { ReadTake } from '~~/core/picking/slots';
import { suggestComp, type Suggested } from '~~/core/picking/suggest';
import type { Mark } from '~~/core/document/take';
import { meterMap, type MeterChange } from '~~/core/time/meter';
import { tempoMap, type TempoChange } from '~~/core/time/tempo';
import { STARTED } from '~/workers/startedMessage';

/** Takes that are to be compared. */
export interface ToComparing {
  readonly asked: number;
  readonly takes: readonly ReadTake[];
  readonly marks: ReadonlyMap<string, Mark>;
  readonly bars: number;
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
}
export interface FromComparing {
  readonly asked: number;
  readonly comparison: Comparison;
  readonly suggested: readonly Suggested[];
}

/** Compares takes and suggests a comp, in a worker. */
onmessage = ({ data: { asked, takes, marks, bars, tempo, meter } }: MessageEvent<ToComparing>) => {
  const map = meterMap(meter);
  const comparison = compareTakes(takes, bars, tempoMap(tempo), map);
  const suggested = suggestComp(takes, comparison, marks, bars, map);
  postMessage({ asked, comparison, suggested } satisfies FromComparing);
};
postMessage(STARTED);
