import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import wavefile from 'wavefile';
import { fitPulse, hear, NO_EDITS, type PulseEdits } from '../core/backing/analysis';
import { spectrumOf, type Spectrum } from '../core/backing/spectrum';
import { readMidiFile } from '../core/files/smf';
import { barStart, meterMap } from '../core/time/meter';
import { secondsAt, tempoMap } from '../core/time/tempo';
import type { Seconds } from '../core/time/units';
import { bounce } from '../engine/instrument/instrument';
import { areFirsts, beatMatch, SKIP } from './beatMatch';
import { atLeast, quantile, under, type Figure } from './figure';
import { grooveSong } from './grooveSong';
import { GROOVES } from './grooves';
import { loadInstrument, RATE } from './sound';
import { SHORT, some } from './sizes';

/** Recording that no rule was tuned on, with its beats. */
interface Known {
  readonly kind: string;
  readonly spectrum: Spectrum;
  readonly beats: readonly Seconds[];
  readonly firsts: readonly Seconds[];
}
const SEEDS = some([501, 502, 503]);
const RIGHT = 0.9;

/** Songs in grooves that weights were not learned from. */
async function keptGrooves(): Promise<Known[]> {
  const instrument = await loadInstrument();
  return some(GROOVES, 2).flatMap((groove, g) => {
    if (!groove.kept) return [];
    return SEEDS.map((seed): Known => {
      const { channels, events, length, beats, firsts } = grooveSong(groove, seed * 1000 + g);
      for (const [channel, setting] of channels) instrument.setChannel(channel, setting);
      instrument.panic();
      const spectrum = spectrumOf(bounce(instrument, events, length, RATE), RATE);
      return { kind: groove.name, spectrum, beats, firsts };
    });
  });
}

/** Pieces by others as MIDI files, where they exist and a foreign synthesizer is installed. */
const MUSIC = process.env.MUSIC ?? join('..', 'shared', 'music');
const SOUNDS = '/usr/share/sounds/sf2/FluidR3_GM.sf2';
const PIECE_RATE = 44_100;
function pieces(): Known[] {
  const files =
    existsSync(MUSIC) && existsSync(SOUNDS) ? readdirSync(MUSIC).filter((f) => !SHORT && f.endsWith('.mid')) : [];
  const folder = mkdtempSync(join(tmpdir(), 'tall-kettle-pieces-'));
  const all = files.map((file): Known => {
    const song = readMidiFile(Uint8Array.from(readFileSync(join(MUSIC, file))));
    const out = join(folder, 'piece.wav');
    execFileSync('fluidsynth', ['-ni', '-r', String(PIECE_RATE), '-g', '0.5', '-F', out, SOUNDS, join(MUSIC, file)], {
      stdio: 'ignore',
    });
    const sides = new wavefile.WaveFile(readFileSync(out)).getSamples(false, Int16Array) as unknown as Int16Array[];
    const spectrum = spectrumOf(
      sides.map((side) => Float32Array.from(side, (v) => v / 32_768)),
      PIECE_RATE,
    );
    const [tempo, meter] = [tempoMap(song.tempo), meterMap(song.meter)];
    const struck = song.tracks.flatMap((t) => t.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.at] : [])));
    const [first, last] = [Math.min(...struck), Math.max(...struck)];
    const beats = Array.from({ length: Math.floor(last / 960) + 1 }, (_, i) => i * 960).filter((t) => t >= first - 100);
    const firsts: number[] = [];
    for (let bar = 1; barStart(meter, bar) <= last; bar += 1) firsts.push(barStart(meter, bar));
    const at = (tick: number) => secondsAt(tempo, tick);
    return { kind: file, spectrum, beats: beats.map(at), firsts: firsts.map(at) };
  });
  rmSync(folder, { recursive: true });
  return all;
}

interface Judged {
  readonly kind: string;
  readonly right: boolean;
  readonly first: boolean;
  readonly offered: boolean;
  /** Results after two taps with some hundredths of error; null without one tempo. */
  readonly tapped: boolean | null;
  /** Results with the tempo told in whole beats a minute. */
  readonly told: boolean;
  readonly errors: readonly number[];
}
function judged({ kind, spectrum, beats, firsts }: Known): Judged {
  const heard = hear(spectrum);
  const fit = (edits: Partial<PulseEdits>) => {
    const found = fitPulse(heard, { ...NO_EDITS, ...edits });
    const times = found.beats.map((b) => b.at);
    return { found, times, right: beatMatch(times, beats).f >= RIGHT };
  };
  const { found, times, right } = fit({});
  const { first, meter } = found.bars;
  const starts = times.filter((_, i) => i >= first && (i - first) % meter.pulses === 0);
  const middle = Math.floor(beats.length / 2);
  const lengths = beats.slice(1).map((b, i) => b - beats[i]!);
  const bpm = Math.round(60 / quantile(lengths, 0.5));
  const taps = [[beats[middle]! + 0.02, beats[middle + 1]! - 0.015]];
  return {
    ...{ kind, right, first: right && areFirsts(starts, firsts) },
    offered: heard.readings.some((_, reading) => fit({ reading }).right),
    tapped: heard.grid.steady ? fit({ taps }).right : null,
    told: fit({ bpm }).right,
    errors: right
      ? beats.filter((b) => b >= SKIP).map((b) => 1000 * Math.min(...times.map((t) => Math.abs(t - b))))
      : [],
  };
}

const share = (all: readonly boolean[]): number => all.filter(Boolean).length / Math.max(1, all.length);

function figuresOf(name: string, known: readonly Known[]): Figure[] {
  if (known.length === 0) return [];
  const all = known.map(judged);
  const kinds = [...new Set(all.map((j) => j.kind))].map(
    (kind) => `${kind} ${share(all.filter((j) => j.kind === kind).map((j) => j.right)).toFixed(2)}`,
  );
  const tapped = all.flatMap((j) => (j.tapped === null ? [] : [j.tapped]));
  return [
    atLeast(
      'beats',
      `${name}: first reading right, of ${all.length} (${kinds.join(', ')})`,
      share(all.map((j) => j.right)),
      '',
      0.8,
    ),
    atLeast('beats', `${name}: right among those offered`, share(all.map((j) => j.offered)), '', 0.97),
    atLeast('beats', `${name}: first beat of the bar right as well`, share(all.map((j) => j.first)), '', 0.9),
    atLeast('beats', `${name}: right after two taps, of ${tapped.length} in one tempo`, share(tapped), '', 1),
    atLeast('beats', `${name}: right with the tempo told`, share(all.map((j) => j.told)), '', 0.97),
    under(
      'beats',
      `${name}: median error where right`,
      quantile(
        all.flatMap((j) => j.errors),
        0.5,
      ),
      'ms',
      5,
    ),
  ];
}

/** Figures of beats in music that no rule was tuned on. */
export const otherBeatFigures = async (): Promise<Figure[]> => [
  ...figuresOf('grooves kept aside', await keptGrooves()),
  ...figuresOf('pieces by others', pieces()),
];
