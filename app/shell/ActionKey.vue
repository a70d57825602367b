<script setup lang="ts">
import type { Action } from '~~/core/performance/learned';
import { useActionKeys } from '~/transport/actionKeys';

/** Computer key of an action beside its button; nothing where it has none. */
defineProps<{ action: Action }>();
const keys = useActionKeys();
</script>

<template>
  <kbd v-if="keys.wordsOf(action)">{{ keys.wordsOf(action) }}</kbd>
</template>
