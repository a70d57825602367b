<script setup lang="ts">
import { watch } from 'vue';
import { useRoute } from 'vue-router';
import { usePreferences } from '~/controls/preferences';
import { putOn } from '~/drawing/inks';

const preferences = usePreferences();
watch(() => preferences.face, putOn, { immediate: true });
const route = useRoute();
</script>

<template>
  <v-app :theme="preferences.face">
    <!-- The stand's window only shows what another tells it: it hears no keys, and makes no sound. -->
    <NuxtPage v-if="route.path === '/stand'" />
    <DeskShell v-else />
  </v-app>
</template>
