import { defineStore } from 'pinia';
import { computed } from 'vue';
import { plainBrief, presetOf, type Preset } from '~~/core/recording/presets';
import { useSong } from '~/song/song';

/** Ways of recording, laid on the song's brief. */
export const usePresets = defineStore('presets', () => {
  const song = useSong();

  const isPlain = computed(() => {
    const brief = song.document?.brief;
    if (!brief) return true;
    const { punchIn, punchOut, ...rest } = plainBrief();
    return (
      JSON.stringify(presetOf(brief)) === JSON.stringify(presetOf({ ...brief, ...rest })) &&
      (brief.range === null || (brief.punchIn === punchIn && brief.punchOut === punchOut))
    );
  });

  const recall = (brief: Preset): void => song.run({ type: 'set brief', brief });
  const plain = (): void => {
    if (song.document) song.run({ type: 'set brief', brief: plainBrief() });
  };

  return { isPlain, recall, plain };
});
