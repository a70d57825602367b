import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import type { Action, LearnedCommand } from '~~/core/performance/learned';
import { usePreferences } from '~/controls/preferences';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';
import { ACTION_FACTS } from './actions';
import { useHands } from './performAction';
import { usePass } from './pass';

/** Frequencies of the confirming sound, two rising tones at the level of speech. */
const TONES = [660, 880];
const TONE_SECONDS = 0.07;
const TONE_GAIN = 0.12;

/** Words for the outcome of a command, from what is set afterwards. */
export function outcomeWords(
  action: Action,
  song: SongDocument,
  latest: { number: number; mark: string | null } | null,
) {
  const { brief, click } = song;
  switch (action) {
    case 'mark good':
    case 'mark maybe':
    case 'mark no':
      return latest ? `take ${latest.number}, ${latest.mark ?? 'no mark'}` : 'no take yet';
    case 'lead-in':
      return brief.leadInOn && brief.leadIn.count > 0 ? 'lead-in on' : 'lead-in off';
    case 'loop':
      return brief.loop ? 'loop on' : 'loop off';
    case 'wait':
      return brief.wait === 'no' ? 'no wait' : 'waits for you';
    case 'next mode':
      return brief.loop ? brief.laps : brief.mode;
    case 'next part':
    case 'previous part':
      return song.parts.find((p) => p.id === brief.part)?.name ?? 'no part';
    case 'click':
      return click.when === 'never' ? 'click off' : 'click on';
    default:
      return ACTION_FACTS[action].short;
  }
}

/** Confirms a command from a key or pedal by sound or speech, where the player has switched that on. */
export const useConfirming = defineStore('confirming', () => {
  const preferences = usePreferences();
  const song = useSong();
  const sound = useSound();
  const hands = useHands();
  const pass = usePass();

  /** Voices of the system. Those that send text to a server are left out. */
  const voices = shallowRef<readonly SpeechSynthesisVoice[]>([]);
  const look = (): void => {
    voices.value = speechSynthesis.getVoices().filter((v) => v.localService);
  };
  if ('speechSynthesis' in window) {
    look();
    speechSynthesis.addEventListener('voiceschanged', look);
  }
  const speaks = computed(() => voices.value.length > 0);

  function say(words: string): void {
    const utterance = new SpeechSynthesisUtterance(words);
    utterance.voice = voices.value.find((v) => v.lang.startsWith('en')) ?? voices.value[0]!;
    utterance.lang = utterance.voice.lang;
    speechSynthesis.cancel();
    speechSynthesis.speak(utterance);
  }

  function sing(): void {
    const context = sound.engine?.context;
    if (!context) return;
    const gain = new GainNode(context, { gain: TONE_GAIN });
    gain.connect(context.destination);
    TONES.forEach((frequency, i) => {
      const tone = new OscillatorNode(context, { frequency });
      tone.connect(gain);
      const at = context.currentTime + i * TONE_SECONDS;
      tone.start(at);
      tone.stop(at + TONE_SECONDS);
      if (i === TONES.length - 1) tone.onended = () => gain.disconnect();
    });
  }

  /** Speaks or sounds the outcome. It is silent while a pass records, as it would be on the microphone. */
  function confirm(action: Action): void {
    if (preferences.confirms === 'nothing' || pass.recording || !song.document) return;
    if (preferences.confirms === 'word' && speaks.value)
      say(outcomeWords(action, song.document, hands.latest?.take ?? null));
    else sing();
  }

  /** Carries out the action of a taught key or pedal, and confirms it. */
  function act(action: LearnedCommand['action']): void {
    if (action === 'commands') return;
    hands.act(action);
    confirm(action);
  }
  return { act, speaks };
});
