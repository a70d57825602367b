import { mixDown } from '../core/backing/spectrum';
import { findTuning, SURE } from '../core/backing/tuning';
import { seeded } from '../core/random';
import { bounce } from '../engine/instrument/instrument';
import { atLeast, atMost, quantile, under, type Figure } from './figure';
import { grooveSong } from './grooveSong';
import { GROOVES } from './grooves';
import { loadInstrument, RATE } from './sound';
import { tunedBand } from './tunedBand';
import { sized } from './sizes';

const BANDS = sized(100, 4);
const BAND_RATE = 22_050;
const SECONDS = 30;
const DRUMS = 9;
const SONGS = sized(20, 2);
/** Distance of tunings modulo a semitone. */
const apart = (a: number, b: number): number => Math.abs(a - b - 100 * Math.round((a - b) / 100));

/** Bands in a tuning of their own; the shipped sounds, moved against themselves; and drums with noise alone. */
export async function tuningFigures(): Promise<Figure[]> {
  const random = seeded(41);
  const took: number[] = [];
  const bands = Array.from({ length: BANDS }, (_, i) => {
    const cents = Math.round(1000 * random.unit() - 500) / 10;
    const samples = tunedBand(100 + i, cents, BAND_RATE, SECONDS);
    const begun = performance.now();
    const found = findTuning({ samples, rate: BAND_RATE });
    took.push((performance.now() - begun) / 1000 / SECONDS);
    return { off: apart(found.cents, cents), isSure: found.sure >= SURE };
  });
  const instrument = await loadInstrument();
  const hear = (i: number, cents: number, pitched: boolean) => {
    const { channels, events, length } = grooveSong(GROOVES[i % GROOVES.length]!, 9000 + i, SECONDS);
    for (const [channel, setting] of channels) instrument.setChannel(channel, setting);
    instrument.setTuning(cents);
    instrument.panic();
    const own = pitched ? events : events.filter((e) => 'channel' in e && e.channel === DRUMS);
    return findTuning(mixDown(bounce(instrument, own, length, RATE), RATE));
  };
  // Instruments of a bank are out of tune by themselves; what is measured is the known shift.
  const moved = Array.from({ length: SONGS }, (_, i) => {
    const by = Math.round(1000 * random.unit() - 500) / 10;
    return apart(hear(i, by, true).cents - hear(i, 0, true).cents, by);
  });
  const drums = Array.from({ length: SONGS }, (_, i) => hear(i, 0, false).sure < SURE);
  const area = 'tuning';
  return [
    atLeast(
      area,
      `bands 50 cents down to 50 up: within 2 cents, of ${BANDS}`,
      bands.filter((b) => b.isSure && b.off <= 2).length,
      '',
      99,
    ),
    under(
      area,
      'off, median',
      quantile(
        bands.map((b) => b.off),
        0.5,
      ),
      'cents',
      1,
    ),
    atMost(area, 'sure and wrong', bands.filter((b) => b.isSure && b.off > 2).length, '', 1),
    atMost(area, 'the shipped sounds moved: off, median', quantile(moved, 0.5), 'cents', 1),
    atLeast(area, `drums and noise alone: said to be not sure, of ${SONGS}`, drums.filter(Boolean).length, '', SONGS),
    under(area, 'time for five minutes', 300 * quantile(took, 0.5), 's', 3),
  ];
}
