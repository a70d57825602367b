<script setup lang="ts">
import { computed, ref } from 'vue';
import { MARKS, type Take } from '~~/core/document/take';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { usePartRoom } from '~/song/partRoom';
import { useSong } from '~/song/song';
import { useNotices } from '~/notices/notices';
import { barsWords } from '~~/core/time/words';
import { originWords } from './origin';
import { usePick } from './pick';

/** Label of a take beside its lane, with its menu. */
const props = defineProps<{ take: Take; atCursor: boolean }>();
const pick = usePick();
const song = useSong();
const openSong = useOpenSong();
const { hasRoom } = usePartRoom();
const layers = useLayers();
const notices = useNotices();
const open = ref(false);
const part = computed(() => pick.part!);

const title = computed(() => props.take.name || `Take ${props.take.number}`);
const origin = computed(() => originWords(props.take, layers.closed, layers.modes, openSong.document));
const spread = computed(() => {
  const ms = pick.spread(props.take);
  return ms === null ? '' : `±${Math.round(ms)} ms`;
});
const bars = computed(() => barsWords(props.take, openSong.maps.meter));
const set = (to: Partial<Pick<Take, 'name' | 'note' | 'mark'>>) =>
  song.run({ type: 'set take', part: part.value.id, take: props.take.id, to });

function run(type: 'delete take' | 'keep only take', words: string): void {
  open.value = false;
  song.run({ type, part: part.value.id, take: props.take.id });
  notices.say(words, 'plain');
}
const others = computed(() => openSong.document.parts.filter((p) => p.id !== part.value.id && !p.away));
function bring(to: { part: string } | { id: string; name: string }, copy: boolean, where: string): void {
  open.value = false;
  const number = props.take.number;
  song.run({ type: 'bring take', part: part.value.id, take: props.take.id, to, takeId: crypto.randomUUID(), copy });
  notices.say(`Take ${number} is ${copy ? 'also ' : ''}in ${where} now. Undo takes it back.`, 'plain');
}
function moveOut(): void {
  if (!hasRoom('The take stayed where it is.')) return;
  const name = `${part.value.name}, take ${props.take.number}`.slice(0, 60);
  bring({ id: crypto.randomUUID(), name }, false, `the part “${name}”`);
}
</script>

<template>
  <div class="take">
    <Popup v-model="open" :label="`Take ${take.number}`" :width="290" location="end">
      <template #activator="{ props: menu }">
        <button
          v-bind="menu"
          class="names name"
          :class="{ here: atCursor }"
          :aria-label="`${title}: what to do with it`"
        >
          {{ title }}<span v-if="take.mark" class="mark" :class="take.mark">{{ take.mark }}</span>
        </button>
      </template>
      <SmallField
        :model-value="take.name"
        :aria-label="`Name of take ${take.number}`"
        :placeholder="`Take ${take.number}`"
        maxlength="60"
        @set="(name) => set({ name: name.trim() })"
      />
      <ChoiceGroup label="What you think of it">
        <Choice v-for="m in MARKS" :key="m" :on="take.mark === m" @click="set({ mark: take.mark === m ? null : m })">{{
          m
        }}</Choice>
      </ChoiceGroup>
      <v-textarea
        :model-value="take.note"
        label="Note"
        rows="2"
        maxlength="2000"
        density="compact"
        hide-details
        @change="(event: Event) => set({ note: (event.target as HTMLTextAreaElement).value })"
      />
      <p class="facts">{{ origin }}. {{ bars }}{{ spread ? `, ${spread}` : '' }}.</p>
      <div class="choices">
        <v-btn
          size="small"
          @click="
            pick.hide(take.id);
            open = false;
          "
          >Hide</v-btn
        >
        <v-btn
          size="small"
          @click="run('delete take', `Take ${take.number} is gone from the part. Undo brings it back.`)"
          >Delete</v-btn
        >
        <v-btn
          size="small"
          @click="run('keep only take', 'The other takes are gone from the part. Undo brings them back.')"
          >Keep only this one</v-btn
        >
        <v-btn size="small" @click="moveOut">Move out to a part of its own</v-btn>
        <template v-for="p in others" :key="p.id">
          <v-btn size="small" @click="bring({ part: p.id }, false, p.name)">Move to {{ p.name }}</v-btn>
          <v-btn size="small" @click="bring({ part: p.id }, true, p.name)">Copy to {{ p.name }}</v-btn>
        </template>
      </div>
    </Popup>
    <span class="quiet small">{{ bars }}</span>
    <span class="quiet small">{{ origin }}</span>
    <span v-if="spread" class="small figures">{{ spread }}</span>
  </div>
</template>

<style scoped>
.take {
  display: grid;
  align-content: start;
  gap: 1px;
  overflow: hidden;
}
.name {
  text-align: left;
  font-size: 15px;
  font-weight: 600;
  color: var(--ink);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.name.here {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.small {
  font-size: 11px;
  line-height: 1.25;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.mark {
  margin-left: 6px;
  font: 600 11px var(--text);
  color: var(--ink-2);
}
.mark.good {
  color: var(--moss);
}
.mark.no {
  color: var(--copper-ink);
}
.facts {
  margin: 0;
  font-size: 12px;
  color: var(--ink-2);
}
</style>
