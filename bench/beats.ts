import { findPulse } from '../core/backing/analysis';
import { seeded } from '../core/random';
import { tappedPulse } from '../core/time/tap';
import { bounce } from '../engine/instrument/instrument';
import { bandSong, BENCH_BAND, type BandKind, type BandSong, type TempoKind } from './bands';
import { areFirsts, beatMatch } from './beatMatch';
import { atLeast, atMost, quantile, under, type Figure } from './figure';
import { otherBeatFigures } from './otherBeats';
import { loadInstrument } from './sound';
import { some } from './sizes';

const RATE = 48_000;
const KINDS: readonly TempoKind[] = some(['steady', 'drifting', 'ritardando', '3/4', '6/8', 'swung', 'sparse']);
const BANDS: readonly BandKind[] = some(['drums and bass', 'plucked', 'strings and bass']);
const SEEDS = some([101, 202, 303]);

interface Verdict {
  readonly song: BandSong;
  readonly f: number;
  readonly errors: readonly number[];
  readonly first: boolean;
  readonly meter: boolean;
  readonly found: ReturnType<typeof findPulse>;
}

function judge(song: BandSong, found: ReturnType<typeof findPulse>): Verdict {
  const times = found.beats.map((b) => b.at);
  const { first, meter } = found.bars;
  const starts = times.filter((_, i) => i >= first && (i - first) % meter.pulses === 0);
  const { beats: top, unit } = meter;
  return {
    song,
    ...beatMatch(times, song.beats),
    first: areFirsts(starts, song.firsts),
    meter: top === song.meter.beats && unit === song.meter.unit,
    found,
  };
}

async function renderBands(): Promise<{ song: BandSong; sides: [Float32Array, Float32Array] }[]> {
  const instrument = await loadInstrument();
  for (const [channel, setting] of BENCH_BAND) instrument.setChannel(channel, setting);
  return KINDS.flatMap((kind, k) =>
    BANDS.flatMap((band, b) =>
      SEEDS.map((seed) => {
        const song = bandSong(kind, band, seed * 100 + k * 10 + b);
        instrument.panic();
        return { song, sides: bounce(instrument, song.events, song.length, RATE) };
      }),
    ),
  );
}

/** Figures of beats in songs rendered from known tempo maps. */
export async function beatFigures(): Promise<Figure[]> {
  const verdicts = (await renderBands()).map(({ song, sides }) => judge(song, findPulse(sides, RATE)));
  const mean = (values: readonly number[]) => values.reduce((a, b) => a + b, 0) / values.length;
  return [
    ...KINDS.map((kind) => {
      const own = verdicts.filter((v) => v.song.kind === kind);
      const least = BANDS.map((band) => ({
        band,
        f: mean(own.filter((v) => v.song.band === band).map((v) => v.f)),
      })).sort((a, b) => a.f - b.f)[0]!;
      return atLeast(
        'beats',
        `${kind}: F within 70 ms, mean of ${own.length} songs (least: ${least.band}, ${least.f.toFixed(3)})`,
        mean(own.map((v) => v.f)),
        '',
        kind === 'steady' ? 0.97 : 0.9,
      );
    }),
    ...KINDS.map((kind) =>
      under(
        'beats',
        `${kind}: median error`,
        quantile(
          verdicts.filter((v) => v.song.kind === kind).flatMap((v) => v.errors.map(Math.abs)),
          0.5,
        ),
        'ms',
        10,
      ),
    ),
    atLeast(
      'beats',
      `first beat of the bar right, share of ${verdicts.length} songs`,
      mean(verdicts.map((v) => Number(v.first))),
      '',
      0.8,
    ),
    atLeast(
      'beats',
      `meter right, share of ${verdicts.length} songs`,
      mean(verdicts.map((v) => Number(v.meter))),
      '',
      0.8,
    ),
    ...tapFigures(),
    ...(await otherBeatFigures()),
  ];
}

/** Figures of eight taps at 50 to 200 bpm with 15 ms of jitter; one in four runs lacks a tap. */
function tapFigures(): Figure[] {
  const random = seeded(9);
  const off = Array.from({ length: 2000 }, (_, i) => {
    const period = 60 / (50 + 150 * random.unit());
    const missed = i % 4 === 0 ? random.integer(1, 6) : -1;
    const taps = Array.from({ length: 9 }, (_, k) => k)
      .filter((k) => k !== missed)
      .slice(0, 8);
    return Math.abs(tappedPulse(taps.map((k) => k * period + random.normal(0.015)))!.period / period - 1) * 100;
  });
  return [
    atMost('beats', 'tempo from 8 taps, 15 ms spread, half of 2000 runs within', quantile(off, 0.5), '%', 0.5),
    atMost('beats', 'the same, two thirds of the runs within (one spread)', quantile(off, 0.667), '%', 0.5),
  ];
}
