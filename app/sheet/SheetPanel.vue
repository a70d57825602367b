<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { mdiChevronLeft, mdiChevronRight, mdiClose } from '@mdi/js';
import { transpositionWords } from '~~/core/document/transposition';
import { useBackings } from '~/backings/backings';
import { useFileDrop } from '~/controls/useFileDrop';
import { useOpenSong } from '~/song/openSong';
import { usePass } from '~/transport/pass';
import { useSheet } from './sheet';

/** Panel with the client's sheet, which turns its pages with the song. Bars are located and marks drawn on it. */
const emit = defineEmits<{ close: [] }>();
const sheet = useSheet();
const backings = useBackings();
const pass = usePass();
const openSong = useOpenSong();
const host = ref<HTMLElement | null>(null);
const picker = ref<HTMLInputElement | null>(null);
const { over } = useFileDrop(host, (files) => void backings.bringIn(files));
function picked(): void {
  void backings.bringIn([...(picker.value?.files ?? [])]);
  picker.value!.value = '';
}

const TOOLS = ['look', 'bars', 'write', 'rub out'] as const;
const TOOL_WORDS = { look: 'Read', bars: 'Tell bars', write: 'Write', 'rub out': 'Rub out' } as const;
const tool = ref<(typeof TOOLS)[number]>('look');

/** Page that the player turned to; null while pages follow the song. */
const turned = ref<string | null>(null);
watch(
  () => sheet.following,
  () => {
    turned.value = null;
  },
);
const pages = computed(() => sheet.sheet.pages);
const now = computed(() => sheet.pageOf(turned.value ?? sheet.following) ?? pages.value[0] ?? null);
const index = computed(() => pages.value.findIndex((p) => p.id === now.value?.id));
const shown = computed(() => sheet.shownOf([now.value]));
const systems = computed(() => sheet.sheet.systems.filter((s) => s.page === now.value?.id));
const moved = computed(() => transpositionWords(openSong.document.transposition, openSong.document.bars));
const hint = computed(() => {
  if (tool.value === 'bars')
    return pass.rolling
      ? 'Click where the bar that plays begins a line.'
      : 'Click where the playhead’s bar begins a line, or play and click as it comes by.';
  if (tool.value === 'write') return 'Draw with the pen or the pointer. Undo takes a line back.';
  if (tool.value === 'rub out') return 'Click a line to take it off.';
  return sheet.sheet.systems.length > 0
    ? 'It turns by itself, a bar ahead.'
    : 'No bar numbers were found in it: mark where bars begin, and it turns by itself.';
});
</script>

<template>
  <aside ref="host" class="sheet panel" :class="{ over }" aria-label="Sheet">
    <header>
      <h2 class="names">Sheet</h2>
      <template v-if="now">
        <v-btn
          :icon="mdiChevronLeft"
          size="x-small"
          variant="text"
          aria-label="Page before"
          :disabled="index <= 0"
          @click="turned = pages[index - 1]!.id"
        />
        <span class="figures" role="status">page {{ index + 1 }} of {{ pages.length }}</span>
        <v-btn
          :icon="mdiChevronRight"
          size="x-small"
          variant="text"
          aria-label="Page after"
          :disabled="index >= pages.length - 1"
          @click="turned = pages[index + 1]!.id"
        />
      </template>
      <v-btn
        class="end"
        :icon="mdiClose"
        size="small"
        variant="text"
        aria-label="Close the sheet"
        @click="emit('close')"
      />
    </header>
    <template v-if="now">
      <div class="tools">
        <ChoiceGroup label="What the pointer does">
          <Choice v-for="t in TOOLS" :key="t" :on="tool === t" @click="tool = t">{{ TOOL_WORDS[t] }}</Choice>
        </ChoiceGroup>
      </div>
      <p class="quiet small">{{ hint }}</p>
      <p v-if="moved" class="quiet small">The pages are in the song’s own key; it is played {{ moved }}.</p>
      <SheetPages
        class="view"
        :shown="shown"
        :tool="tool"
        :with-bars="tool === 'bars'"
        @tell="sheet.tell"
        @write="sheet.write"
        @rub="sheet.rubOut"
      />
      <div v-if="tool === 'bars'" class="told" role="group" aria-label="Bars marked on this page">
        <span v-if="systems.length === 0" class="quiet small">No bar is marked on this page.</span>
        <button
          v-for="s in systems"
          :key="s.bar"
          class="figures bar"
          :aria-label="`Forget where bar ${s.bar} stands`"
          @click="sheet.forget(s.bar)"
        >
          {{ s.bar }} ×
        </button>
      </div>
      <div class="row">
        <button class="add" @click="picker!.click()">Bring in more pages</button>
        <button class="add" @click="sheet.takeOut([now.id])">Take this page out</button>
      </div>
    </template>
    <div v-else class="empty">
      <p>The client’s pages stand here and turn with the song. Drop a PDF or pictures of pages, in their order.</p>
      <v-btn @click="picker!.click()">Bring in a PDF or pictures</v-btn>
      <p v-if="backings.busy" role="status">Bringing in {{ backings.busy }}</p>
    </div>
    <input
      ref="picker"
      type="file"
      multiple
      accept=".pdf,.png,.jpg,.jpeg,.webp,application/pdf,image/*"
      hidden
      aria-label="Files of the sheet"
      @change="picked"
    />
  </aside>
</template>

<style scoped>
.panel {
  position: fixed;
  z-index: 1400;
  inset: 58px 18px calc(var(--plate-height, 100px) + var(--strip, 34px) + 8px) auto;
  width: var(--sheet-width, 440px);
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 10px 14px;
}
.panel.over {
  outline: 2px dashed var(--copper);
}
header,
.row,
.told {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 13px;
}
.told {
  flex-wrap: wrap;
}
h2 {
  font-size: 18px;
  margin: 0;
}
.end {
  margin-left: auto;
}
.view {
  flex: 1;
}
.small,
.empty p {
  font-size: 13px;
  margin: 0;
}
.bar {
  border: 1px solid var(--rule);
  border-radius: 8px;
  padding: 1px 8px;
}
.add {
  color: var(--copper-ink);
  font-weight: 600;
  font-size: 12px;
}
.empty {
  display: grid;
  gap: 12px;
  align-content: center;
  justify-items: center;
  text-align: center;
  flex: 1;
  border: 1.5px dashed var(--rule);
  border-radius: 10px;
  padding: 20px;
}
</style>
