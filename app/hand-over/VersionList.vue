<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed } from 'vue';
import { changedWords } from '~~/core/handover/changed';
import { list } from '~~/core/handover/delivery';
import type { Version } from '~~/core/handover/version';
import { whenWords } from '~/controls/dateWords';
import { useOpenSong } from '~/song/openSong';
import { useDelivery } from './delivery';
import { useRun } from './run';

/** Versions that went out, with the changes since; each can be made again. */
const openSong = useOpenSong();
const out = useDelivery();
const run = useRun();
const namesOf = ({ parts }: Version): string[] =>
  parts.map((id) => openSong.document.parts.find((p) => p.id === id)?.name ?? 'A part that is gone');
const newestFirst = computed(() => [...out.versions].reverse());
const since = computed(() => (out.changed ? changedWords(out.changed) : []));
</script>

<template>
  <section class="sheet versions" aria-label="Versions">
    <h2 class="names">Versions</h2>
    <p v-if="out.versions.length === 0" class="quiet">
      Nothing has gone out yet. Each version is remembered to the note, and can be written again.
    </p>
    <template v-else>
      <div class="since">
        <p v-if="out.isSame" class="quiet">Nothing has changed since version {{ out.versions.at(-1)!.number }}.</p>
        <template v-else>
          <p>Changed since version {{ out.versions.at(-1)!.number }}:</p>
          <ul>
            <li v-for="words in since" :key="words">{{ words }}</li>
          </ul>
        </template>
      </div>
      <ol>
        <li v-for="v in newestFirst" :key="v.number">
          <div>
            <b>Version {{ v.number }}</b
            ><span class="quiet"> · {{ whenWords(v.at) }} · {{ many(v.files.length, 'file') }}</span>
            <p v-if="v.alone" class="quiet">{{ list(namesOf(v)) }} alone.</p>
            <p v-if="v.changed" class="quiet">
              {{ v.onlyChanged ? 'Only what changed: ' : '' }}{{ v.changed.join('. ') || 'As the one before.' }}
            </p>
          </div>
          <v-btn
            size="x-small"
            :disabled="run.busy"
            :aria-label="`Make version ${v.number} again`"
            @click="run.again(v.number)"
            >Make it again</v-btn
          >
        </li>
      </ol>
    </template>
  </section>
</template>

<style scoped>
.versions {
  padding: 12px 16px 14px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  align-content: start;
  font-size: 13px;
}
h2 {
  font-size: 18px;
  margin: 0;
}
p {
  margin: 0;
}
.since ul {
  margin: 2px 0 0;
  padding-left: 18px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
ol li {
  border-top: 1px solid var(--rule-soft);
  padding: 7px 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
}
</style>
