<script setup lang="ts">
import { COMMANDS_BY_KEY } from '~~/core/performance/commandKeys';
import { ACTION_FACTS } from '~/transport/actions';
import { keyLayout } from '~/controls/pianoKeys';

/** Commands of the keys while the command key is down, legible from the keyboard. */
defineProps<{ held: readonly number[] }>();
const places = [...COMMANDS_BY_KEY.keys()];
const keys = keyLayout(Math.min(...places), Math.max(...places)).map((place) => ({
  ...place,
  words: ACTION_FACTS[COMMANDS_BY_KEY.get(place.key)!].short,
  /** The lowest key of each octave is named. */
  octave: place.key % 12 === 0 ? `C${place.key / 12 - 1}` : '',
}));
</script>

<template>
  <section class="commands" role="group" aria-label="Keys as commands">
    <div
      v-for="k in keys"
      :key="k.key"
      class="key"
      :class="{ black: k.black, held: held.includes(k.key) }"
      :style="k.style"
    >
      <span>{{ k.words }}</span><i>{{ k.octave }}</i>
    </div>
  </section>
</template>

<style scoped>
.commands {
  position: fixed;
  z-index: 2500;
  inset: auto 0 var(--strip, 34px);
  height: 210px;
  background: var(--plate);
  border-top: 3px solid var(--copper);
}
.key {
  position: absolute;
  top: 0;
  height: 100%;
  padding: 0 1px 8px;
  display: flex;
  flex-direction: column;
  justify-content: end;
  gap: 2px;
  text-align: center;
  background: var(--key);
  border-right: 1px solid var(--plate-2);
  color: var(--plate);
  font-weight: 700;
  font-size: 13px;
  line-height: 1.1;
}
.key.black {
  height: 52%;
  z-index: 1;
  background: var(--plate);
  color: var(--plate-ink);
  font-size: 11px;
  font-weight: 600;
}
.key.held {
  background: var(--key-held);
  color: var(--plate);
}
i {
  height: 14px;
  font: 12px var(--figures);
  opacity: 0.7;
}
.black i {
  display: none;
}
</style>
