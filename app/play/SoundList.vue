<script setup lang="ts">
import { computed, ref } from 'vue';
import { byteWords } from '~~/core/vocabulary/byteWords';
import { soundName, soundOfBank, SOUND_FAMILIES, type Sound } from '~~/core/vocabulary/sounds';
import { vFocus } from '~/controls/focus';
import { useKept } from '~/kept/kept';
import { useSound } from '~/sound/sound';

/** Sounds by family or search, each heard before it is selected. */
const props = defineProps<{
  /** Part in which it is heard. */
  part: string;
  chosen: Sound | null;
  /** Words for no sound, where that is a choice. */
  none?: string;
  short: boolean;
}>();
const emit = defineEmits<{ choose: [to: Sound | null] }>();
const sound = useSound();
const kept = useKept();
const wanted = ref('');
const family = ref('');

/** Sounds of imported banks, each with the bytes that it needs. */
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
</script>

<template>
  <div class="sounds">
    <div class="find">
      <SmallField v-model="wanted" v-focus aria-label="Find a sound" placeholder="Find a sound" />
      <SmallSelect v-model="family" :items="choices" label="Family" />
    </div>
    <div class="list" :class="{ short }" role="group" aria-label="Sounds by family">
      <button
        v-if="props.none && wanted === ''"
        class="name"
        :aria-pressed="chosen === null"
        @click="emit('choose', null)"
      >
        {{ none }}
      </button>
      <template v-for="f in families" :key="f.family">
        <div class="label family">
          {{ f.family }}
          <button v-if="isOwn(f.family)" :aria-label="`Forget ${f.family}`" @click="kept.forgetBank(f.family)">
            Forget
          </button>
        </div>
        <div v-for="s in f.sounds" :key="s" class="one">
          <button class="name" :aria-pressed="chosen === s" @click="emit('choose', s)">
            {{ soundName(s) }} <span v-if="sizes.has(s)" class="quiet">{{ byteWords(sizes.get(s) ?? 0) }}</span>
          </button>
          <button
            class="hear"
            :aria-label="`Hear ${soundName(s)}`"
            :disabled="sound.state === 'loading'"
            @click="sound.tryOut(part, s)"
          >
            Hear
          </button>
        </div>
      </template>
      <p v-if="families.length === 0" class="quiet">No sound is called “{{ wanted }}”.</p>
    </div>
  </div>
</template>

<style scoped>
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
