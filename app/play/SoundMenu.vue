<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Part } from '~~/core/document/part';
import { byteWords } from '~~/core/vocabulary/byteWords';
import { soundName, soundOfBank, SOUND_FAMILIES, type Sound } from '~~/core/vocabulary/sounds';
import { wordsOf } from '~/api/api';
import { vFocus } from '~/controls/focus';
import { useFileDrop } from '~/controls/useFileDrop';
import { useKept } from '~/kept/kept';
import { useNotices } from '~/notices/notices';
import { bringInBank } from '~/sound/bringInBank';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/** A part’s sound, found by family or by typing, and heard before it is chosen; or an instrument outside. */
const props = defineProps<{ part: Part }>();
const song = useSong();
const sound = useSound();
const kept = useKept();
const notices = useNotices();
const open = ref(false);
const wanted = ref('');
const family = ref('');

const said = computed(() => (props.part.heardAs === 'recorded' ? 'its recorded sound' : soundName(props.part.sound)));

/** Sounds of the banks that were brought in, each with the bytes that it needs. */
const own = computed(() =>
  kept.banks.map(({ name, value: { hash, presets } }) => ({
    family: name,
    sounds: new Map(presets.map((p) => [soundOfBank({ hash, ...p }), p.bytes])),
  })),
);
const sizes = computed(() => new Map(own.value.flatMap(({ sounds }) => [...sounds])));
const all = computed(() => [
  ...own.value.map((bank) => ({ ...bank, sounds: [...bank.sounds.keys()] })),
  ...SOUND_FAMILIES,
]);
const families = computed(() => {
  const text = wanted.value.trim().toLowerCase();
  return all.value
    .filter((f) => family.value === '' || f.family === family.value)
    .map((f) => ({
      family: f.family,
      sounds: f.sounds.filter((s) => `${soundName(s)} ${f.family}`.toLowerCase().includes(text)),
    }))
    .filter((f) => f.sounds.length > 0);
});
const choices = computed(() => [
  { value: '', title: 'Every family' },
  ...all.value.map((f) => ({ value: f.family, title: f.family })),
]);
const isOwn = (family: string): boolean => own.value.some((bank) => bank.family === family);
const picker = ref<HTMLInputElement | null>(null);
const coming = ref('');
/** Brings banks in, one after the other; one that cannot be used is said, and nothing of it is listed. */
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
  // The same file can be picked again.
  input.value = '';
}
function choose(to: Sound): void {
  song.run({ type: 'set part', part: props.part.id, to: { sound: to } });
  open.value = false;
}
</script>

<template>
  <Popup v-model="open" label="Sounds" :width="300" @update:model-value="(opens: boolean) => opens && kept.refresh()">
    <template #activator="{ props: menu }">
      <button v-bind="menu" class="sound" :aria-label="`${part.name}’s sound: ${said}`">{{ said }}</button>
    </template>
    <div class="find">
      <SmallField v-model="wanted" v-focus aria-label="Find a sound" placeholder="Find a sound" />
      <SmallSelect v-model="family" :items="choices" label="Family" />
    </div>
    <div class="list" :class="{ short: part.input }" role="group" aria-label="Sounds by family">
      <template v-for="f in families" :key="f.family">
        <div class="label family">
          {{ f.family }}
          <button v-if="isOwn(f.family)" :aria-label="`Forget ${f.family}`" @click="kept.forgetBank(f.family)">
            Forget
          </button>
        </div>
        <div v-for="s in f.sounds" :key="s" class="one">
          <button class="name" :aria-pressed="part.sound === s" @click="choose(s)">
            {{ soundName(s) }} <span v-if="sizes.has(s)" class="quiet">{{ byteWords(sizes.get(s) ?? 0) }}</span>
          </button>
          <button
            class="hear"
            :aria-label="`Hear ${soundName(s)}`"
            :disabled="sound.state === 'loading'"
            @click="sound.tryOut(part.id, s)"
          >
            Hear
          </button>
        </div>
      </template>
      <p v-if="families.length === 0" class="quiet">No sound is called “{{ wanted }}”.</p>
    </div>
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
}
.find {
  display: grid;
  grid-template-columns: 1fr 120px;
  gap: 6px;
  margin-bottom: 6px;
}
.list {
  max-height: 190px;
  overflow: auto;
}
.list.short {
  max-height: 110px;
}
.family {
  display: flex;
  justify-content: space-between;
}
.family button {
  color: var(--copper-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
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
.one {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
}
.name {
  text-align: left;
  padding: 4px 6px;
  border-radius: 6px;
  color: var(--ink);
}
/* Lighter than a button of the library's: there are a hundred and more. */
.hear {
  padding: 2px 8px;
  border: 1px solid var(--rule);
  border-radius: 7px;
  font-size: 11px;
  font-weight: 600;
}
.hear:disabled {
  opacity: 0.5;
}
.name:hover {
  background: var(--rule-soft);
}
.name[aria-pressed='true'] {
  font-weight: 600;
}
</style>
