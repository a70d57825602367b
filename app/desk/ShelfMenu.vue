<script setup lang="ts">
import { mdiDotsHorizontal } from '@mdi/js';
import { saveFrom } from '~/controls/save';
import type { Shelf } from './desk';

/** Menu of a whole job or song. */
defineProps<{ label: string; editWords: string; shelf: Shelf; busy: boolean; archive?: string }>();
const emit = defineEmits<{ edit: []; duplicate: []; put: [to: Shelf] }>();
</script>

<template>
  <v-menu>
    <template #activator="{ props: opener }">
      <v-btn
        v-bind="opener"
        :icon="mdiDotsHorizontal"
        size="x-small"
        variant="text"
        :aria-label="label"
        :disabled="busy"
      />
    </template>
    <v-card role="dialog" :aria-label="label">
      <v-list density="compact">
        <v-list-item :title="editWords" @click="emit('edit')" />
        <v-list-item title="Duplicate" @click="emit('duplicate')" />
        <v-list-item v-if="archive" title="Archive as a zip" @click="saveFrom(archive)" />
        <v-list-item v-if="archive" title="Archive with its sound banks" @click="saveFrom(`${archive}?banks=1`)" />
        <v-list-item v-if="shelf !== 'desk'" title="Back on the desk" @click="emit('put', 'desk')" />
        <v-list-item v-if="shelf === 'desk'" title="Put away" @click="emit('put', 'away')" />
        <v-list-item v-if="shelf !== 'deleted'" title="Delete" @click="emit('put', 'deleted')" />
      </v-list>
    </v-card>
  </v-menu>
</template>
