<script setup lang="ts">
import { useSetup } from './setup';

/** Question after a change of tempo: whether takes move along. */
const setup = useSetup();
</script>

<template>
  <v-dialog
    :model-value="setup.asking !== null"
    max-width="520"
    aria-label="Takes on the old tempo"
    @update:model-value="
      (open: boolean) => {
        if (!open) setup.answer(null);
      }
    "
  >
    <v-card class="ask">
      <h2>There are takes on the old tempo</h2>
      <p>Should they follow the bars, or stay with the recording? Either is exact, and Undo takes it back.</p>
      <button class="way" @click="setup.answer('bars')">
        <b>Follow the bars</b
        ><span class="quiet">A note on bar 9 beat 1 stays on bar 9 beat 1, and is heard when that comes.</span>
      </button>
      <button class="way" @click="setup.answer('recording')">
        <b>Stay with the recording</b
        ><span class="quiet"
          >Every note is heard at the second it was played, together with the backing. Its bar may be another one.</span
        >
      </button>
      <v-btn variant="text" @click="setup.answer(null)">Leave the tempo as it is</v-btn>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.ask {
  padding: 18px 22px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
h2 {
  font-size: 19px;
  margin: 0;
}
p {
  margin: 0;
}
.way {
  display: grid;
  gap: 2px;
  text-align: left;
  border: 1px solid var(--rule);
  border-radius: 10px;
  padding: 10px 14px;
  width: 100%;
}
.way:hover,
.way:focus-visible {
  background: var(--copper-soft);
}
</style>
