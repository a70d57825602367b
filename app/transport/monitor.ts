import { defineStore } from 'pinia';
import { ref, watch } from 'vue';
import { channelOf } from '~~/core/vocabulary/sounds';
import { bytesFromMessage, SUSTAIN, type KeyMessage } from '~~/core/performance/messages';
import { admits, listenersOf } from '~~/core/recording/inputRoutes';
import type { Part } from '~~/core/document/part';
import { useKeyboards } from '~/keyboards/keyboards';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { useRoll } from './roll';

/** Live monitoring of the keys. */
export const useMonitor = defineStore('monitor', () => {
  const song = useSong();
  const sound = useSound();
  const keyboards = useKeyboards();
  const roll = useRoll();
  /** True if the player listens to the keyboard itself, so that its keys are not sounded here. */
  const silentKeys = ref(false);

  const partIndex = (partId: string): number => song.document?.parts.findIndex((p) => p.id === partId) ?? -1;

  /** Outlets of each key that is down. The release goes there, even if other parts are armed by then. */
  const sounding = new Map<string, readonly ((message: KeyMessage) => void)[]>();
  /** True while a key is down that is to be heard; keys taken as commands do not count. */
  const anyDown = ref(false);

  /**
   * Outlets of a part that is played live: this program, an outside instrument, or none where the keyboard sounds by
   * itself.
   */
  function outletsOf(part: Part): ((message: KeyMessage) => void)[] {
    // An instrument whose sound is being recorded plays only what it is sent.
    if (silentKeys.value || roll.playsOut || part.monitor === 'keyboard') return [];
    const channel = channelOf(partIndex(part.id));
    if (part.monitor === 'program') return [(message) => sound.engine?.play(channel, message)];
    const output = keyboards.outputs.find((o) => o.id === part.output);
    return output ? [(message) => output.send(bytesFromMessage(message))] : [];
  }

  function hear(port: string, message: KeyMessage): void {
    const opened = song.document;
    const all = opened ? listenersOf(opened).filter(({ route }) => admits(route, port, message)) : [];
    let outlets = all.flatMap(({ part }) => outletsOf(part));
    if (message.type === 'noteOn' || message.type === 'noteOff') {
      const key = `${port} ${message.key}`;
      if (message.type === 'noteOff') outlets = [...(sounding.get(key) ?? outlets)];
      if (message.type === 'noteOff') sounding.delete(key);
      else sounding.set(key, outlets);
      anyDown.value = sounding.size > 0;
    }
    for (const send of outlets) send(message);
  }

  // A pedal that is down does not hold notes of a part that is no longer armed.
  watch(
    () => (song.document ? listenersOf(song.document).map((l) => l.part.id) : []),
    (now, before) => {
      for (const id of before) {
        const index = now.includes(id) ? -1 : partIndex(id);
        if (index >= 0) sound.engine?.play(channelOf(index), { type: 'control', controller: SUSTAIN, value: 0 });
      }
    },
  );

  /** Forgets which keys sound, once all notes were ended. */
  function forget(): void {
    sounding.clear();
    anyDown.value = false;
  }

  return { silentKeys, anyDown, hear, forget };
});
