import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { toldTempo } from '~~/core/client/toldTempo';
import { NO_EDITS, type FoundPulse, type PulseEdits } from '~~/core/backing/analysis';
import { fitTempo } from '~~/core/backing/tempoFit';
import type { FoundTuning } from '~~/core/backing/tuning';
import type { Backing } from '~~/core/document/backing';
import type { Retiming, TakesStay } from '~~/core/song/retime';
import { barStart } from '~~/core/time/meter';
import { secondsAt } from '~~/core/time/tempo';
import type { Seconds } from '~~/core/time/units';
import { usePass } from '~/transport/pass';
import { useReading } from '~/song/reading';
import { wordsOf } from '~/api/api';
import { Listener, Stopped } from '~/backings/listener';
import { useLongWork } from '~/notices/longWork';
import { useNotices } from '~/notices/notices';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/**
 * Setting up the open song: which backing is looked at, what beats were found in it, and what is asked before a tempo
 * changes.
 */
export const useSetup = defineStore('setup', () => {
  const song = useSong();
  const pass = usePass();
  const reading = useReading();
  const sound = useSound();
  const session = useSession();
  const roll = useRoll();
  const notices = useNotices();

  const selectedId = ref<string | null>(null);
  const selected = computed((): Backing | undefined => {
    const backings = song.document?.backings ?? [];
    return backings.find((b) => b.id === selectedId.value) ?? backings.find((b) => !b.midi) ?? backings[0];
  });

  /** A change of tempo that waits for the player to say what takes do. */
  const asking = shallowRef<Omit<Retiming, 'takes'> | null>(null);
  const hasTakes = computed(() => song.document?.parts.some((p) => p.takes.length > 0) ?? false);
  const inPass = computed(() => pass.recording);

  /** Changes tempo, meter or the place of bar 1; asks first when there are takes that it would move under. */
  function retime(retiming: Omit<Retiming, 'takes'>): void {
    if (inPass.value) {
      notices.say('A pass is being recorded. Its tempo stays as it is; stop it first.');
      return;
    }
    const moves = retiming.tempo !== undefined || (retiming.shift ?? 0) !== 0;
    if (moves && hasTakes.value) asking.value = retiming;
    else song.run({ type: 'set tempo', retiming: { ...retiming, takes: 'bars' } });
  }
  function answer(takes: TakesStay | null): void {
    const retiming = asking.value;
    asking.value = null;
    if (retiming && takes) song.run({ type: 'set tempo', retiming: { ...retiming, takes } });
  }

  /** Beats found in a backing, with what the player has said about them. */
  const beats = shallowRef<{ readonly backing: string; readonly found: FoundPulse; readonly edits: PulseEdits } | null>(
    null,
  );
  const listening = ref(false);
  /** Progress of listening, 0 to 1. */
  const heardShare = ref(0);
  useLongWork().at('desk', () => (listening.value ? heardShare.value : null));
  let listener: { readonly backing: string; readonly heard: Promise<Listener> } | null = null;
  /** The latest, which may still be taking the sound in. */
  let opened: Listener | null = null;

  async function listen(backing: Backing): Promise<Listener> {
    if (listener?.backing === backing.id) return listener.heard;
    void listener?.heard.then((l) => l.close());
    const heard = (async () => {
      await sound.load();
      const buffer = sound.engine?.tracks.bufferOf(backing.id);
      if (!buffer) throw new Error('The backing’s sound is not here yet. Try again in a moment.');
      const made = new Listener();
      opened = made;
      await made.hear(buffer, 'beats');
      return made;
    })();
    listener = { backing: backing.id, heard };
    // Whoever waits for it is told.
    heard.catch(() => {
      listener = null;
    });
    return heard;
  }

  /** Tuning that was found in a backing, with the backing's name. */
  const tuning = shallowRef<(FoundTuning & { readonly name: string }) | null>(null);

  /** Asks the listener of a backing; what goes wrong is said. @returns null where there is no answer */
  async function heardOf<T>(
    backing: Backing,
    question: (listener: Listener, told: (done: number) => void) => Promise<T>,
  ): Promise<T | null> {
    listening.value = true;
    heardShare.value = 0;
    try {
      return await question(await listen(backing), (done) => (heardShare.value = done));
    } catch (error) {
      if (!(error instanceof Stopped)) notices.say(`${backing.name}: ${wordsOf(error)}`);
      return null;
    } finally {
      listening.value = false;
    }
  }
  async function findTuning(backing: Backing): Promise<void> {
    const found = await heardOf(backing, (l, told) => l.tuning(told));
    if (found) tuning.value = { ...found, name: backing.name };
  }

  /** Finds the beats of a backing, around what the player has said about them, and the client about the tempo. */
  async function findBeats(
    backing: Backing,
    edits: PulseEdits = { ...NO_EDITS, bpm: toldTempo(song.document?.notes ?? '') },
  ): Promise<void> {
    const start = performance.now();
    const found = await heardOf(backing, (l, told) => l.beats(edits, told));
    if (!found) return;
    performance.measure('beats of a backing', { start });
    if (found.beats.length < 2)
      notices.say(`${backing.name}: no beats were found in it. Tap along to a range, or set the tempo by hand.`);
    beats.value = { backing: backing.id, found, edits };
  }

  const backingOf = (id: string): Backing | undefined => song.document?.backings.find((b) => b.id === id);

  /** Says something about the beats; the rest is fitted around it. */
  async function edit(to: Partial<PulseEdits>): Promise<void> {
    const now = beats.value;
    const backing = now && backingOf(now.backing);
    if (now && backing) await findBeats(backing, { ...now.edits, ...to });
  }

  /** Puts a beat somewhere: it is pinned there, and any pin it had before goes. */
  const pin = (from: Seconds, to: Seconds): Promise<void> =>
    edit({ pins: [...(beats.value?.edits.pins ?? []).filter((p) => p !== from), to].sort((a, b) => a - b) });

  /** Stops listening; the beats that were there before stay. */
  function stopListening(): void {
    opened?.close();
    listener = null;
  }

  function dropBeats(): void {
    beats.value = null;
    void listener?.heard.then((l) => l.close());
    listener = null;
  }

  /** The song takes the tempo of the recording: the click then follows its players. */
  function takeTempo(): void {
    const now = beats.value;
    const backing = now && backingOf(now.backing);
    const fitted = now && fitTempo(now.found);
    if (!backing || !fitted) return;
    retime({ tempo: fitted.tempo, meter: fitted.meter, bars: fitted.bars, shift: fitted.offset - backing.offset });
    dropBeats();
  }

  /** Moves a backing so that what sounds at the playhead is bar 1. */
  function barOneHere(backing: Backing): void {
    const { tempo, meter } = reading.maps!;
    const offset = backing.offset - (secondsAt(tempo, roll.playhead) - secondsAt(tempo, barStart(meter, 1)));
    song.run({ type: 'move backing', backing: backing.id, offset });
    session.seek(0);
  }

  watch(
    () => song.id,
    () => {
      dropBeats();
      tuning.value = null;
      selectedId.value = null;
      asking.value = null;
    },
  );

  return {
    selectedId,
    selected,
    asking,
    hasTakes,
    inPass,
    beats,
    listening,
    heardShare,
    stopListening,
    retime,
    answer,
    findBeats,
    ...{ tuning, findTuning },
    edit,
    pin,
    dropBeats,
    takeTempo,
    barOneHere,
  };
});
