<script setup lang="ts">
import { computed } from 'vue';
import { KEYS, keyWords } from '~~/core/vocabulary/key';
import { useOpenSong } from '~/song/openSong';

/** Key in which the song was written. */
const openSong = useOpenSong();
const items = [
  { value: '', title: 'not given' },
  ...KEYS.map((k) => ({ value: `${k.fifths} ${k.minor}`, title: keyWords(k) })),
];
const chosen = computed({
  get: () => {
    const { key } = openSong.document;
    return key ? `${key.fifths} ${key.minor}` : '';
  },
  set: (to: string) => {
    const [fifths, minor] = to.split(' ');
    openSong.setSong({ key: to ? { fifths: Number(fifths), minor: minor === 'true' } : null });
  },
});
</script>

<template>
  <SmallSelect v-model="chosen" :items="items" label="Key of the song" />
</template>
