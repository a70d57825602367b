import { defineStore } from 'pinia';
import { computed } from 'vue';
import { plainBrief, presetOf, type Preset } from '~~/core/recording/presets';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';
import { useSong } from '~/song/song';

/** Ways of recording, laid on the song's brief. */
export const usePresets = defineStore('presets', () => {
  const song = useSong();
  const kept = useKept();
  const notices = useNotices();

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

  /** The next of those that are kept by name, or the one before, round and round; it is said which. */
  async function step(by: number): Promise<void> {
    if (kept.presets.length === 0) await kept.refresh();
    const { presets } = kept;
    if (presets.length === 0) {
      notices.say('No way of recording is kept by name yet: that is done under Presets, on Play.', 'plain');
      return;
    }
    const own = JSON.stringify(presetOf(song.document!.brief));
    const here = presets.findIndex((p) => JSON.stringify(p.value) === own);
    const to = presets[(Math.max(here, by > 0 ? here : 0) + by + presets.length) % presets.length]!;
    recall(to.value);
    notices.say(`Next pass: ${to.name}.`, 'plain', { about: 'preset' });
  }

  return { isPlain, recall, plain, step };
});
