<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Part } from '~~/core/document/part';
import { soundName, SOUND_FAMILIES, type Sound } from '~~/core/vocabulary/sounds';
import { vFocus } from '~/controls/focus';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/** A part’s sound, found by family or by typing, and heard before it is chosen; or an instrument outside. */
const props = defineProps<{ part: Part }>();
const song = useSong();
const sound = useSound();
const open = ref(false);
const wanted = ref('');
const family = ref('');

const said = computed(() => (props.part.heardAs === 'recorded' ? 'its recorded sound' : soundName(props.part.sound)));

const families = computed(() => {
  const text = wanted.value.trim().toLowerCase();
  return SOUND_FAMILIES.filter((f) => family.value === '' || f.family === family.value)
    .map((f) => ({
      family: f.family,
      sounds: f.sounds.filter((s) => `${soundName(s)} ${f.family}`.toLowerCase().includes(text)),
    }))
    .filter((f) => f.sounds.length > 0);
});
const choices = [
  { value: '', title: 'Every family' },
  ...SOUND_FAMILIES.map((f) => ({ value: f.family, title: f.family })),
];
function choose(to: Sound): void {
  song.run({ type: 'set part', part: props.part.id, to: { sound: to } });
  open.value = false;
}
</script>

<template>
  <Popup v-model="open" label="Sounds" :width="300">
    <template #activator="{ props: menu }">
      <button v-bind="menu" class="sound" :aria-label="`${part.name}’s sound: ${said}`">{{ said }}</button>
    </template>
    <div class="find">
      <SmallField v-model="wanted" v-focus aria-label="Find a sound" placeholder="Find a sound" />
      <SmallSelect v-model="family" :items="choices" label="Family" />
    </div>
    <div class="list" :class="{ short: part.input }" role="group" aria-label="Sounds by family">
      <template v-for="f in families" :key="f.family">
        <div class="label">{{ f.family }}</div>
        <div v-for="s in f.sounds" :key="s" class="one">
          <button class="name" :aria-pressed="part.sound === s" @click="choose(s)">{{ soundName(s) }}</button>
          <v-btn
            size="x-small"
            :aria-label="`Hear ${soundName(s)}`"
            :disabled="sound.state === 'loading'"
            @click="sound.tryOut(part.id, s)"
            >Hear</v-btn
          >
        </div>
      </template>
      <p v-if="families.length === 0" class="quiet">No sound is called “{{ wanted }}”.</p>
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
.name:hover {
  background: var(--rule-soft);
}
.name[aria-pressed='true'] {
  font-weight: 600;
}
</style>
