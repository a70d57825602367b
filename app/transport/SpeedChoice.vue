<script setup lang="ts">
import { SPEEDS } from './actions';
import { useOpenSong } from '~/song/openSong';

/** Practice speed, for listening and recording. */
const openSong = useOpenSong();
</script>

<template>
  <ChoiceGroup label="Practice speed">
    <Choice v-for="s in SPEEDS" :key="s" :on="openSong.document.speed === s" @click="openSong.setSong({ speed: s })"
      >{{ Math.round(s * 100) }}%</Choice
    >
  </ChoiceGroup>
</template>
