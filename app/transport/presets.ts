import { defineStore } from 'pinia';
import { useLocalStorage } from '@vueuse/core';
import { computed } from 'vue';
import { plainBrief, presetOf, presetSchema, type Preset } from '~~/core/recording/presets';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';

/** Keys of the latest presets. */
export const RECENT_KEYS = ['a', 'd', 'f', 'h', 'j'] as const;
const MOST_RECENT = RECENT_KEYS.length;

/** Presets of the brief, and applying them to the song. */
export const usePresets = defineStore('presets', () => {
  const song = useSong();
  const openSong = useOpenSong();
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

  const recall = (brief: Preset): void => openSong.setBrief(brief);
  const plain = (): void => {
    if (song.document) openSong.setBrief(plainBrief());
  };

  /** Applies the next or previous preset that is kept by name, in a circle, and names it in a notice. */
  async function step(by: number): Promise<void> {
    if (kept.presets.length === 0) await kept.refresh();
    const { presets } = kept;
    if (presets.length === 0) {
      notices.say('No preset is kept yet: that is done under Presets, on Play.', 'plain');
      return;
    }
    const own = JSON.stringify(presetOf(openSong.document.brief));
    const here = presets.findIndex((p) => JSON.stringify(p.value) === own);
    const to = presets[(Math.max(here, by > 0 ? here : 0) + by + presets.length) % presets.length]!;
    recall(to.value);
    notices.say(`Next pass: ${to.name}.`, 'plain', { about: 'preset' });
  }

  const recents = useLocalStorage<unknown[]>('tall-kettle recent ways', []);
  /** Presets of the last passes, the latest first. Fields that cannot be read are left out. */
  const recent = computed((): readonly Preset[] =>
    recents.value.flatMap((one) => presetSchema.safeParse(one).data ?? []).slice(0, MOST_RECENT),
  );
  /** Remembers the preset that a pass begins with. */
  function use(brief: Preset): void {
    const way = presetOf(brief);
    const text = JSON.stringify(way);
    recents.value = [way, ...recent.value.filter((one) => JSON.stringify(one) !== text)].slice(0, MOST_RECENT);
  }
  /** @param index 0 for the latest */
  function recallRecent(index: number): void {
    const way = recent.value[index];
    if (way && song.document) recall(way);
    else notices.say('Fewer presets than that have been used so far.', 'plain', { about: 'preset' });
  }

  return { isPlain, recent, recall, recallRecent, use, plain, step };
});
