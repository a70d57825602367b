import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { chainOf, firstTrouble, readySummary, type Mend } from '~~/core/linecheck/chain';
import { isAudible } from '~~/core/document/audible';
import { listenersOf } from '~~/core/recording/inputRoutes';
import { REFUSALS } from '~~/core/placement/loopTest';
import { TAP_CLICKS, TAP_EVERY, readTaps, type TapOutcome } from '~~/core/placement/tapTest';
import { decibelsFromGain, type Milliseconds, type Seconds } from '~~/core/time/units';
import { runLoop, type LoopResult, type WayBack } from '~~/engine/probes/loop';
import type { KeyPort } from '~~/engine/keyboards/port';
import { PLAIN_KEYBOARD } from '~~/core/performance/keyboard';
import { usePass } from '~/transport/pass';
import { wordsOf } from '~/api/api';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLatency } from '~/sound/latency';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useMonitor } from '~/transport/monitor';

const MIDDLE_C = 60;
const TRIAL_MS = 500;
const USUAL_GAIN_DB = -6;
/** Level below which sound counts as silence. */
const INAUDIBLE_DB = -38;

/** State of the links from the keys to the ears, the repair of each, and the two latency tests. */
export const useLineCheck = defineStore('line check', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const pass = usePass();
  const sound = useSound();
  const keyboards = useKeyboards();
  const monitor = useMonitor();
  const latency = useLatency();
  const notices = useNotices();
  const router = useRouter();

  const now = ref(performance.now());
  setInterval(() => {
    now.value = performance.now();
  }, 1000);

  /** Loudest output in dBFS while keys were last down; null before any. */
  const level = ref<number | null>(null);
  watch(
    () => monitor.anyDown,
    (down) => {
      if (down) level.value = -Infinity;
    },
  );
  watch(
    () => sound.peak,
    (peak) => {
      if (monitor.anyDown && level.value !== null && peak > 0)
        level.value = Math.max(level.value, decibelsFromGain(peak));
    },
  );

  const listeners = computed(() => (song.document ? listenersOf(song.document) : []));
  const part = computed(() => listeners.value[0]?.part);
  const heardBackings = computed(() => {
    const opened = song.document;
    if (!opened) return 0;
    return opened.backings.filter((b) => isAudible(b, opened) && b.gainDb > INAUDIBLE_DB).length;
  });

  /** Keyboards that are checked: the brief's, otherwise the one played last, otherwise all. */
  const meant = computed(() => {
    const chosen = song.document?.brief.keyboard ?? null;
    const others = keyboards.ports.filter((p) => p.kind === 'midi' || (p.kind !== 'screen' && keyboards.isOn(p)));
    if (chosen !== null) return keyboards.ports.filter((p) => p.id === chosen);
    if (others.length === 0) return [keyboards.screen];
    const playedAt = (id: string) => Math.max(keyboards.lastOf.get(id)?.at ?? 0, keyboards.offAt.get(id) ?? 0);
    const latest = others.reduce((a, b) => (playedAt(b.id) > playedAt(a.id) ? b : a));
    return playedAt(latest.id) > 0 ? [latest] : others;
  });
  /** Last message of those keyboards. */
  const last = computed(() =>
    meant.value.reduce<{ port: KeyPort; words: string; at: Milliseconds } | null>((latest, port) => {
      const came = keyboards.lastOf.get(port.id);
      return came && came.at > (latest?.at ?? 0) ? { port, ...came } : latest;
    }, null),
  );
  /** Checked keyboard that was played while switched off, after the last message that came through. */
  const playedOff = computed(
    () => meant.value.find((p) => (keyboards.offAt.get(p.id) ?? 0) > (last.value?.at ?? 0)) ?? null,
  );

  const chain = computed(() =>
    chainOf({
      absence: keyboards.absenceWords || null,
      ports: keyboards.ports
        .filter((p) => p.kind === 'midi' || (p.kind !== 'screen' && keyboards.isOn(p)))
        .map((p) => keyboards.nameOf(p)),
      meant: meant.value.map((p) => ({ name: keyboards.nameOf(p), on: keyboards.isOn(p) })),
      onScreen: meant.value.some((p) => p.kind === 'screen'),
      last: last.value && {
        port: keyboards.nameOf(last.value.port),
        words: last.value.words,
        ago: Math.max(0, (now.value - last.value.at) / 1000),
      },
      playedOff: playedOff.value && keyboards.nameOf(playedOff.value),
      leftOut: keyboards.lastLeftOut,
      song: song.document !== null,
      parts: listeners.value.map((l) => l.part.name),
      partHeard: listeners.value.every((l) => isAudible(l.part, openSong.document)),
      sound: sound.state,
      trouble: sound.trouble,
      tuning: song.document?.tuning ?? 0,
      level: level.value,
      click: song.document ? song.document.click.when !== 'never' && song.document.click.gainDb > INAUDIBLE_DB : true,
      backings: { all: song.document?.backings.length ?? 0, heard: heardBackings.value },
    }),
  );
  const trouble = computed(() => firstTrouble(chain.value));
  const ready = computed(() => readySummary(chain.value));

  const MENDS: Readonly<Record<Mend, () => void>> = {
    'look for keyboards': () => void keyboards.lookForMidi(),
    'switch it on': () => {
      for (const port of meant.value) if (!keyboards.isOn(port)) void keyboards.set(port, true);
    },
    'play a key': () => {
      keyboards.screen.down(MIDDLE_C, 84, performance.now());
      setTimeout(() => keyboards.screen.up(MIDDLE_C, performance.now()), TRIAL_MS);
    },
    'let it through': () => {
      const { channel, range, leftOut } = PLAIN_KEYBOARD;
      const id = keyboards.lastLeftOut?.id;
      keyboards.lastLeftOut = null;
      if (id) void keyboards.change(id, { channel, range, leftOut });
    },
    'let a part hear': () => openSong.setBrief({ part: song.document?.parts[0]?.id ?? null }),
    'load the sounds': () => void sound.load(),
    'start the sound': () => void sound.engine?.resume(),
    'turn it up': () => {
      if (part.value) openSong.setPart(part.value.id, { gainDb: USUAL_GAIN_DB });
    },
    'let it be heard': () => letBeHeard(),
    'open a song': () => void router.push('/'),
  };
  function letBeHeard(): void {
    if (trouble.value?.id === 'backing') {
      openSong.setClick({ when: 'always', gainDb: Math.max(-10, openSong.document.click.gainDb) });
      return;
    }
    for (const other of song.document?.parts ?? [])
      if (other.solo && !listeners.value.some((l) => l.part.id === other.id))
        openSong.setPart(other.id, { solo: false });
    for (const backing of song.document?.backings ?? [])
      if (backing.solo) openSong.setBacking(backing.id, { solo: false });
    for (const { part: silent } of listeners.value) if (silent.muted) openSong.setPart(silent.id, { muted: false });
  }
  const mend = (what: Mend): void => MENDS[what]();

  /** Test that is running; nothing else may roll meanwhile. */
  const testing = ref<'loop' | 'taps' | null>(null);
  const loop = shallowRef<LoopResult | null>(null);
  const taps = shallowRef<{ readonly own?: TapOutcome; readonly through?: TapOutcome }>({});
  const tapCount = ref(0);

  async function begin(what: 'loop' | 'taps') {
    if (testing.value || pass.rolling) {
      notices.say('Stop what is running first, then measure.');
      return null;
    }
    const made = await sound.ready();
    if (!made) return null;
    latency.look();
    testing.value = what;
    return made;
  }

  /** @returns result of this test; null where it was broken off, which a notice says */
  async function testLoop(back: WayBack): Promise<LoopResult | null> {
    const made = await begin('loop');
    if (!made) return null;
    loop.value = null;
    try {
      loop.value = await runLoop(made.context, back);
    } catch (error) {
      notices.say(wordsOf(error));
    } finally {
      testing.value = null;
    }
    return loop.value;
  }

  /**
   * Output latency from the loop test: the round trip less the input latency that the system reports; null for
   * simulated devices.
   */
  const fromLoop = computed(() => {
    if (loop.value?.outcome.type !== 'measured' || loop.value.back !== 'microphone') return null;
    const { delay, spread } = loop.value.outcome;
    return { seconds: Math.max(0, delay - loop.value.input), spread };
  });
  async function keepLoop(): Promise<void> {
    const at = new Date().toISOString();
    if (fromLoop.value) await latency.keep('output', { ...fromLoop.value, method: 'loop', at });
  }
  /** Measures by the microphone and keeps the result, which a notice says. */
  async function measure(): Promise<void> {
    const result = await testLoop({ type: 'microphone' });
    if (result?.outcome.type === 'refused') notices.say(`${REFUSALS[result.outcome.why]} Nothing was stored.`);
    if (!result || !fromLoop.value) return;
    const before = latency.known?.output ?? null;
    const words = `${(fromLoop.value.seconds * 1000).toFixed(1)} ms`;
    await keepLoop();
    notices.say(`Output latency measured and kept for this set-up: ${words}.`, 'plain', {
      action: { label: 'Undo', run: () => void latency.keep('output', before) },
    });
  }

  /**
   * Plays clicks to tap along to. With `own` the player hears the keyboard's own sound, so that this program's is
   * muted.
   */
  async function testTaps(which: 'own' | 'through'): Promise<void> {
    const made = await begin('taps');
    if (!made) return;
    tapCount.value = 0;
    monitor.silentKeys = which === 'own';
    const start: Seconds = made.context.currentTime + 0.5;
    const clicks = Array.from({ length: TAP_CLICKS }, (_, i) => start + i * TAP_EVERY);
    const struck: Seconds[] = [];
    const stop = keyboards.listen((_, message, stamp) => {
      if (message.type !== 'noteOn') return;
      struck.push(made.arrival(stamp, latency.reported));
      tapCount.value += 1;
    });
    made.schedule(clicks.map((at, i) => ({ at, click: i % 4 === 0 ? 'bar' : 'beat' })));
    try {
      while (made.context.currentTime < clicks.at(-1)! + TAP_EVERY && made.context.state === 'running')
        await new Promise((wait) => setTimeout(wait, 50));
      taps.value = { ...taps.value, [which]: readTaps(clicks, struck) };
    } finally {
      stop();
      made.schedule([]);
      monitor.silentKeys = false;
      testing.value = null;
    }
  }

  return {
    chain,
    trouble,
    ready,
    mend,
    level,
    part,
    testing,
    loop,
    taps,
    tapCount,
    fromLoop,
    keepLoop,
    measure,
    testLoop,
    testTaps,
  };
});
