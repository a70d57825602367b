<script setup lang="ts">
import { computed } from 'vue';
import { KEYS, keyWords } from '~~/core/vocabulary/key';
import { useSong } from '~/song/song';

/** Key in which the song was written. */
const song = useSong();
const items = [
  { value: '', title: 'not given' },
  ...KEYS.map((k) => ({ value: `${k.fifths} ${k.minor}`, title: keyWords(k) })),
];
const chosen = computed({
  get: () => {
    const { key } = song.document!;
    return key ? `${key.fifths} ${key.minor}` : '';
  },
  set: (to: string) => {
    const [fifths, minor] = to.split(' ');
    song.run({ type: 'set song', to: { key: to ? { fifths: Number(fifths), minor: minor === 'true' } : null } });
  },
});
</script>

<template>
  <SmallSelect v-model="chosen" :items="items" label="Key of the song" />
</template>
