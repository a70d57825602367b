<script setup lang="ts">
import { ref } from 'vue';
import type { JobFacts } from './desk';
import { vFocus } from '~/controls/focus';

/** Form with the facts of a new or existing job. */
const props = defineProps<{ job?: JobFacts; busy: boolean; submit: string }>();
const emit = defineEmits<{ save: [facts: JobFacts]; cancel: [] }>();
const title = ref(props.job?.title ?? '');
const client = ref(props.job?.client ?? '');
const due = ref(props.job?.due ?? '');
const notes = ref(props.job?.notes ?? '');
</script>

<template>
  <form
    class="form"
    @submit.prevent="emit('save', { title: title.trim(), client: client.trim(), due: due || null, notes })"
    @keydown.esc="emit('cancel')"
  >
    <v-text-field v-model="title" label="Title" v-focus required maxlength="120" />
    <v-text-field v-model="client" label="Client" maxlength="120" />
    <v-text-field v-model="due" label="Due" type="date" />
    <v-textarea
      v-model="notes"
      class="notes"
      label="Notes"
      rows="2"
      auto-grow
      variant="outlined"
      density="compact"
      hide-details
      maxlength="5000"
    />
    <div class="act">
      <v-btn type="submit" :disabled="!title.trim() || busy">{{ submit }}</v-btn>
      <v-btn variant="text" @click="emit('cancel')">Not now</v-btn>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 2fr 2fr 1fr;
  gap: 10px;
  align-items: start;
  width: 100%;
}
.notes {
  grid-column: 1 / 3;
}
.act {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
}
</style>
