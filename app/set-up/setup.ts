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
import { useOpenSong } from '~/song/openSong';
import { wordsOf } from '~/api/api';
import { Listener, Stopped } from '~/backings/listener';
import { useLongWork } from '~/notices/longWork';
import { useNotices } from '~/notices/notices';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/**
 * Setting up the open song: the shown backing, the beats found in it, and the question before a tempo changes under
 * takes.
 */
export const useSetup = defineStore('setup', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const pass = usePass();
  const sound = useSound();
  const session = useSession();
  const roll = useRoll();
  const notices = useNotices();

  const selectedId = ref<string | null>(null);
  const selected = computed((): Backing | undefined => {
    const backings = song.document?.backings ?? [];
    return backings.find((b) => b.id === selectedId.value) ?? backings.find((b) => !b.midi) ?? backings[0];
  });

  /** Section whose fields are shown; the first where it is none. */
  const sectionId = ref<string | null>(null);
  const section = computed(() => {
    const sections = song.document?.sections ?? [];
    return sections.find((s) => s.id === sectionId.value) ?? sections[0];
  });

  /** Change of tempo that waits for the player's answer about takes. */
  const asking = shallowRef<Omit<Retiming, 'takes'> | null>(null);
  const hasTakes = computed(() => song.document?.parts.some((p) => p.takes.length > 0) ?? false);
  const inPass = computed(() => pass.recording);

  /** Changes tempo, meter or the place of bar 1. Where takes would be affected it asks first. */
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

  /** Beats found in a backing, with the player's corrections. */
  const beats = shallowRef<{ readonly backing: string; readonly found: FoundPulse; readonly edits: PulseEdits } | null>(
    null,
  );
  const listening = ref(false);
  /** Progress of the analysis, 0 to 1. */
  const heardShare = ref(0);
  useLongWork().at('desk', () => (listening.value ? heardShare.value : null));
  let listener: { readonly backing: string; readonly heard: Promise<Listener> } | null = null;
  /** Latest worker, which may still be receiving the sound. */
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
    // Callers that wait get the error themselves.
    heard.catch(() => {
      listener = null;
    });
    return heard;
  }

  /** Tuning found in a backing, with the backing's name. */
  const tuning = shallowRef<(FoundTuning & { readonly name: string }) | null>(null);

  /** Asks a backing's worker a question; an error is shown. @returns null without an answer */
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

  /** Finds the beats of a backing, with the player's corrections and the tempo that the client told. */
  async function findBeats(
    backing: Backing,
    edits: PulseEdits = { ...NO_EDITS, bpm: toldTempo(song.document?.notes ?? '') },
  ): Promise<void> {
    const start = performance.now();
    const found = await heardOf(backing, (l, told) => l.beats(edits, told));
    if (!found) return;
    performance.measure('beats of a backing', { start });
    if (found.beats.length < 2)
      notices.say(`${backing.name}: no beats were found in it. Tap along to some of it, or set the tempo by hand.`);
    beats.value = { backing: backing.id, found, edits };
  }

  const backingOf = (id: string): Backing | undefined => song.document?.backings.find((b) => b.id === id);

  /** Adds a correction; the other beats are fitted to it. */
  async function edit(to: Partial<PulseEdits>): Promise<void> {
    const now = beats.value;
    const backing = now && backingOf(now.backing);
    if (now && backing) await findBeats(backing, { ...now.edits, ...to });
  }

  /** Pins a beat at a time, in place of any pin it had. */
  const pin = (from: Seconds, to: Seconds): Promise<void> =>
    edit({ pins: [...(beats.value?.edits.pins ?? []).filter((p) => p !== from), to].sort((a, b) => a - b) });

  /** Stops the analysis; earlier beats stay. */
  function stopListening(): void {
    opened?.close();
    listener = null;
  }

  function dropBeats(): void {
    beats.value = null;
    void listener?.heard.then((l) => l.close());
    listener = null;
  }

  /** Gives the song the tempo of the recording, so that the click follows its players. */
  function takeTempo(): void {
    const now = beats.value;
    const backing = now && backingOf(now.backing);
    const fitted = now && fitTempo(now.found);
    if (!backing || !fitted) return;
    retime({ tempo: fitted.tempo, meter: fitted.meter, bars: fitted.bars, shift: fitted.offset - backing.offset });
    dropBeats();
  }

  /** Moves a backing so that its sound at the playhead is at bar 1. */
  function barOneHere(backing: Backing): void {
    const { tempo, meter } = openSong.maps;
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
    ...{ sectionId, section },
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
