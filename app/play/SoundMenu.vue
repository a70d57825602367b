<script setup lang="ts">
import { computed, ref } from 'vue';
import { heardWords, type Part } from '~~/core/document/part';
import { byteWords } from '~~/core/vocabulary/byteWords';
import type { Sound } from '~~/core/vocabulary/sounds';
import { wordsOf } from '~/api/api';
import { useFileDrop } from '~/controls/useFileDrop';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';
import { bringInBank } from '~/sound/bringInBank';
import { useOpenSong } from '~/song/openSong';

/** Sounds of a part with their settings, or its outside instrument. */
const props = defineProps<{ part: Part }>();
const openSong = useOpenSong();
const kept = useKept();
const notices = useNotices();
const open = ref(false);

const said = computed(() => heardWords(props.part));

const OF = { first: 'Its sound', second: 'A second one' } as const;
const of = ref<keyof typeof OF>('first');
const second = computed(() => props.part.tone.second);

const picker = ref<HTMLInputElement | null>(null);
const coming = ref('');
/** Imports banks, one after the other; an unusable one is reported and not listed. */
async function bringIn(files: readonly File[]): Promise<void> {
  for (const file of files) {
    coming.value = `${file.name}, ${byteWords(file.size)}`;
    await bringInBank(file).catch((error: unknown) => notices.say(`${file.name}: ${wordsOf(error)} It stays out.`));
  }
  coming.value = '';
}
const host = ref<HTMLElement | null>(null);
const { over } = useFileDrop(host, (files) => void bringIn(files));
function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  void bringIn([...(input.files ?? [])]);
  // Reset, so that the same file can be selected again.
  input.value = '';
}
const set = (to: Partial<Pick<Part, 'sound' | 'tone'>>): void => openSong.setPart(props.part.id, to);
function choose(to: Sound | null): void {
  const { tone } = props.part;
  if (of.value === 'second')
    set({ tone: { ...tone, second: to && { octave: 0, gainDb: 0, below: null, ...tone.second, sound: to } } });
  else if (to) {
    set({ sound: to });
    open.value = false;
  }
}
</script>

<template>
  <Popup v-model="open" label="Sounds" :width="300" @update:model-value="(opens: boolean) => opens && kept.refresh()">
    <template #activator="{ props: menu }">
      <button v-bind="menu" class="sound" :aria-label="`${part.name}’s sound: ${said}`">{{ said }}</button>
    </template>
    <ChoiceGroup label="Which sound">
      <Choice v-for="(words, which) in OF" :key="which" :on="of === which" @click="of = which">{{ words }}</Choice>
    </ChoiceGroup>
    <SoundList
      :key="of"
      :part="part.id"
      :chosen="of === 'first' ? part.sound : (second?.sound ?? null)"
      :none="of === 'second' ? 'None' : undefined"
      :short="part.input !== null"
      @choose="choose"
    />
    <SoundTone v-if="of === 'first' || second" :part="part" :of="of" />
    <div ref="host" class="bank" :class="{ over }">
      <v-btn size="small" variant="text" :disabled="coming !== ''" @click="picker!.click()"
        >Bring in a sound bank</v-btn
      >
      <input ref="picker" type="file" accept=".sf2,.sf3,.dls" multiple hidden @change="picked" />
      <span class="quiet">{{ coming ? `Coming in: ${coming}` : 'SF2, SF3 or DLS; or drop it here' }}</span>
    </div>
    <div class="own">
      <div class="label">Or an instrument of your own</div>
      <OutsideSound v-if="open" :part="part" />
    </div>
  </Popup>
</template>

<style scoped>
.sound {
  color: var(--copper-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
  font-size: 12.5px;
  text-align: left;
}
.bank {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-top: 6px;
  font-size: 11.5px;
  border-radius: 6px;
}
.bank.over {
  background: var(--rule-soft);
}
.own {
  display: grid;
  gap: 6px;
  margin-top: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--rule);
}
</style>
