<script setup lang="ts">
import { computed, ref } from 'vue';
import { KINDS, type KeyboardSettings, type MessageKind } from '~~/core/performance/keyboard';
import { keyName } from '~~/core/performance/messages';
import { useKeyboards } from '~/keyboards/keyboards';

/** Settings of each keyboard: name, channel, keys, touch curve, and which messages pass. */
const keyboards = useKeyboards();
const chosen = ref<string | null>(null);
const port = computed(() => keyboards.ports.find((p) => p.id === chosen.value) ?? keyboards.ports[0]!);
const settings = computed(() => keyboards.settingsOf(port.value.id));
const change = (to: Partial<KeyboardSettings>) => void keyboards.change(port.value.id, to);
const counts = computed(() => keyboards.leftOut.get(port.value.id) ?? {});

const CHANNELS = [
  { value: null, title: 'all' },
  ...Array.from({ length: 16 }, (_, i) => ({ value: i + 1, title: String(i + 1) })),
];

const KIND_WORDS: Readonly<Record<MessageKind, string>> = {
  notes: 'Notes',
  release: 'Release velocity',
  sustain: 'Sustain pedal',
  pedals: 'Other pedals',
  controllers: 'Controllers',
  bend: 'Bend',
  pressure: 'Pressure',
  program: 'Program',
  exclusive: 'System exclusive',
};
function toggle(kind: MessageKind): void {
  const { kinds, controllers } = settings.value.leftOut;
  change({
    leftOut: { controllers, kinds: kinds.includes(kind) ? kinds.filter((k) => k !== kind) : [...kinds, kind] },
  });
}
function setControllers(text: string): void {
  const controllers = [
    ...new Set(
      text
        .split(/[^0-9]+/)
        .filter(Boolean)
        .map(Number),
    ),
  ].filter((n) => n <= 127);
  change({ leftOut: { ...settings.value.leftOut, controllers } });
}
const octaves = computed(() => Math.trunc(settings.value.transpose / 12));
const semitones = computed(() => settings.value.transpose - 12 * octaves.value);
const setTranspose = (transpose: number) =>
  change({ transpose: Math.max(-48, Math.min(48, Math.round(transpose) || 0)) });
function setRange(end: 'low' | 'high', text: string): void {
  const key = Math.max(0, Math.min(127, Math.round(Number(text))));
  if (!Number.isFinite(key)) return;
  const { low, high } = settings.value.range;
  change({ range: end === 'low' ? { low: Math.min(key, high), high } : { low, high: Math.max(key, low) } });
}

const velocities = computed(() => keyboards.velocities.get(port.value.id) ?? []);
function whyWords(why: string): string {
  if (why === 'channel') return 'on other channels';
  if (why === 'range') return 'outside the keys';
  return KIND_WORDS[why as MessageKind].toLowerCase();
}
const leftOutWords = computed(() =>
  Object.entries(counts.value)
    .map(([why, n]) => `${n} ${whyWords(why)}`)
    .join(', '),
);
</script>

<template>
  <div class="settings">
    <ChoiceGroup label="Keyboard">
      <Choice v-for="p in keyboards.ports" :key="p.id" :on="port.id === p.id" @click="chosen = p.id">{{
        keyboards.nameOf(p)
      }}</Choice>
    </ChoiceGroup>
    <div class="sheet panel">
      <div class="grid">
        <label for="kb-on" class="quiet">Listened to</label>
        <v-switch
          id="kb-on"
          :model-value="keyboards.isOn(port)"
          density="compact"
          color="primary"
          hide-details
          :aria-label="`Listen to ${port.name}`"
          @update:model-value="(on: unknown) => keyboards.set(port, Boolean(on))"
        />
        <label for="kb-name" class="quiet">Name</label>
        <SmallField
          id="kb-name"
          class="field"
          maxlength="60"
          :placeholder="port.name"
          :model-value="settings.name"
          @set="(text: string) => change({ name: text.trim() })"
        />
        <span class="quiet">Channel</span>
        <SmallSelect
          :model-value="settings.channel"
          :items="CHANNELS"
          label="Channel"
          @update:model-value="(channel: number | null) => change({ channel })"
        />
        <span class="quiet">Shift</span>
        <span class="pair">
          <SmallField
            class="field figures"
            type="number"
            min="-4"
            max="4"
            :model-value="octaves"
            aria-label="Octaves up"
            @set="(text: string) => setTranspose(12 * Number(text) + semitones)"
          />
          octaves
          <SmallField
            class="field figures"
            type="number"
            min="-11"
            max="11"
            :model-value="semitones"
            aria-label="Semitones up"
            @set="(text: string) => setTranspose(12 * octaves + Number(text))"
          />
          semitones
        </span>
        <span class="quiet">Keys</span>
        <span class="pair">
          <SmallField
            class="field figures"
            type="number"
            min="0"
            max="127"
            :model-value="settings.range.low"
            aria-label="Lowest key"
            @set="(text: string) => setRange('low', text)"
          />
          {{ keyName(settings.range.low) }} to
          <SmallField
            class="field figures"
            type="number"
            min="0"
            max="127"
            :model-value="settings.range.high"
            aria-label="Highest key"
            @set="(text: string) => setRange('high', text)"
          />
          {{ keyName(settings.range.high) }}
        </span>
      </div>
      <figure class="touch">
        <TouchChart :curve="settings.curve" :velocities="velocities" />
        <figcaption class="quiet">Touch</figcaption>
        <v-slider
          :model-value="settings.curve.shape"
          min="-1"
          max="1"
          step="0.05"
          density="compact"
          aria-label="Touch, from heavy to light"
          @end="(shape: number) => change({ curve: { ...settings.curve, shape } })"
        />
        <span class="quiet ends"><span>heavy</span><span>light</span></span>
      </figure>
    </div>
    <div class="let">
      <div class="label">Let through</div>
      <ChoiceGroup label="Kinds of message">
        <Choice v-for="kind in KINDS" :key="kind" :on="!settings.leftOut.kinds.includes(kind)" @click="toggle(kind)">{{
          KIND_WORDS[kind]
        }}</Choice>
      </ChoiceGroup>
      <div class="row">
        <label for="kb-cc" class="quiet">Controllers left out, by number</label>
        <SmallField
          id="kb-cc"
          class="field figures"
          :model-value="settings.leftOut.controllers.join(' ')"
          placeholder="none"
          @set="(text: string) => setControllers(text)"
        />
      </div>
      <p class="quiet small" role="status">
        {{ leftOutWords ? `Left out so far: ${leftOutWords}.` : 'Nothing has been left out.' }}
      </p>
    </div>
  </div>
</template>

<style scoped>
.settings {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 8px 16px;
  align-content: start;
}
.settings > :first-child {
  grid-column: 1 / -1;
}
.let {
  display: grid;
  gap: 8px;
  align-content: start;
}
.panel {
  padding: 12px 16px;
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 18px;
}
.grid {
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 8px 10px;
  align-items: center;
  align-content: start;
}
.field {
  min-width: 0;
}
.pair {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 13px;
}
.pair .field {
  width: 58px;
}
.touch {
  margin: 0;
  width: 150px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 2px;
}
.touch :deep(.v-slider) {
  margin: 0;
}
.ends {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
}
.row {
  display: flex;
  gap: 10px;
  align-items: center;
  font-size: 13px;
}
.row .field {
  width: 180px;
}
.small {
  font-size: 12px;
  margin: 0;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .settings {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
