import type { Part } from '../../core/document/part';
import { mapsOf, sectionsOf, type SongMaps } from '../../core/document/maps';
import type { SongDocument } from '../../core/document/document';
import { formatOf, type Delivery } from '../../core/handover/delivery';
import type { PlannedFile } from '../../core/handover/files';
import { notesInSong } from '../../core/handover/midi';
import { ixmlOf } from '../../core/handover/sheets';
import type { WavFacts } from '../../core/files/wav';
import { SUSTAIN } from '../../core/performance/messages';
import { lineOf, type TakeReader } from '../../core/reading/reading';
import { secondsAt } from '../../core/time/tempo';
import { gainFromDecibels, type Seconds } from '../../core/time/units';
import { channelOf } from '../../core/vocabulary/sounds';
import { settingOf } from '../../engine/instrument/sounds';
import type { Scheduled } from '../../engine/instrument/schedule';
import { clickStrokes, programOf } from '../../engine/transport/program';
import type { BounceTask, RecordedPiece, RecordedTask } from './task';

/** Longest ringing after the song's end. */
const MOST_RINGING: Seconds = 30;
const FROM_BAR_1 = { context: 0, song: 0, speed: 1 };
const SILENT_CLICK = { counts: false, plays: false, accent: false, subdivision: 1 };

type SoundFile = PlannedFile & { readonly type: 'audio' | 'click' };
export const isSound = (file: PlannedFile): file is SoundFile => file.type === 'audio' || file.type === 'click';

/** Events of a part, from bar 1 to the song's end. */
function eventsOf(song: SongDocument, part: Part, read: TakeReader, maps: SongMaps): Scheduled[] {
  const channel = channelOf(song.parts.indexOf(part));
  const { notes, controls } = lineOf(part, read, maps);
  const line = { notes: notesInSong(notes, maps.end), controls };
  const span = { from: 0, to: maps.endSeconds };
  const events = programOf(maps, FROM_BAR_1, span, [{ channel, line }], SILENT_CLICK);
  // A pedal that was left down would ring for ever.
  const lift = { type: 'control', controller: SUSTAIN, value: 0 } as const;
  return [...events, { at: maps.endSeconds, channel, message: lift }];
}

/**
 * The sound files of a delivery as tasks, in the order of the files. A part's sound is split where any part of the
 * song has an event: so the parts add up to the mix, to the last bit that a file has.
 * @param at when the version goes out, ISO 8601: it is written into the files
 * @param recorded what a part sounds like that goes out as its recorded sound
 */
export function soundTasks(
  song: SongDocument,
  files: readonly PlannedFile[],
  delivery: Delivery,
  read: TakeReader,
  at: string,
  pathOf: (file: PlannedFile) => string,
  recorded: (part: Part) => readonly RecordedPiece[] = () => [],
  ownBanks = '',
): (BounceTask | RecordedTask)[] {
  const maps = mapsOf(song);
  const { rate, depth } = delivery;
  const wanted = files.filter(isSound);
  if (wanted.length === 0) return [];
  const bounced = song.parts.filter((p) => !p.away && p.heardAs === 'program');
  const events = new Map(bounced.map((p) => [p.id, eventsOf(song, p, read, maps)]));
  const splits = [...new Set([...events.values()].flatMap((own) => own.map((e) => e.at)))].sort((a, b) => a - b);
  const frames = Math.round(maps.endSeconds * rate);
  const markers = delivery.markers
    ? sectionsOf(song, maps.meter).flatMap((s) =>
        s.name ? [{ frame: Math.round(secondsAt(maps.tempo, s.from) * rate), text: s.name }] : [],
      )
    : [];
  const tempo = `${Math.round(song.tempo[0]!.bpm * 100) / 100} bpm`;
  const trim = gainFromDecibels(delivery.trimDb);
  return wanted.map((file): BounceTask | RecordedTask => {
    const part = file.type === 'audio' ? song.parts.find((p) => p.id === file.part)! : null;
    const name = part?.name ?? 'click';
    const facts: WavFacts = {
      ...{ channels: 2, rate, format: formatOf(delivery) === 'flac' ? '24-bit' : depth, at, reference: 0, markers },
      description: `${song.title}; ${name}; ${tempo}; from bar 1`,
      ixml: ixmlOf(song, name),
    };
    const where = { path: pathOf(file), facts, frames };
    const common = { ...where, type: 'bounce', ownBanks, tuning: song.tuning } as const;
    if (!part || file.type !== 'audio') {
      const accent = file.type === 'click' && file.accents;
      const strokes = clickStrokes(maps.meter, 0, maps.end, { accent, subdivision: song.click.subdivision });
      const clicks = strokes.map(({ tick, stroke }): Scheduled => ({ at: secondsAt(maps.tempo, tick), click: stroke }));
      const click = { sound: song.click.sound, gain: 1 };
      return { ...common, channel: null, click, events: clicks, splits: [], most: frames };
    }
    const level = trim * (file.level ? gainFromDecibels(part.gainDb) : 1);
    const most = delivery.ends === 'song' ? frames : frames + MOST_RINGING * rate;
    if (part.heardAs === 'recorded') return { ...where, type: 'recorded', pieces: recorded(part), gain: level, most };
    const setting = { ...settingOf(part.sound, part.tone), level };
    const channel = { number: channelOf(song.parts.indexOf(part)), setting };
    return { ...common, channel, click: null, events: events.get(part.id)!, splits, most };
  });
}
