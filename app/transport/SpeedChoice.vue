<script setup lang="ts">
import { SPEEDS } from './actions';
import { useSong } from '~/song/song';

/** Practice speed, for listening and recording. */
const song = useSong();
</script>

<template>
  <ChoiceGroup label="Practice speed">
    <Choice
      v-for="s in SPEEDS"
      :key="s"
      :on="song.document!.speed === s"
      @click="song.run({ type: 'set song', to: { speed: s } })"
      >{{ Math.round(s * 100) }}%</Choice
    >
  </ChoiceGroup>
</template>
