<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import { lanesOf } from '~~/core/editing/lanes';
import { lengthenNotes, placeStarts, changeVelocities } from '~~/core/editing/notes';
import {
  lengthWords,
  placeWords,
  readKey,
  readPlace,
  rowName,
  rowsOf,
  rowsText,
  ROW_KINDS,
  UNITS,
  type Row,
  type RowKind,
  type Unit,
} from '~~/core/editing/rows';
import { drawLane, scaleOf } from '~~/core/editing/lanes';
import { laneWords } from '~~/core/recording/brief';
import { secondsAt, tickAt } from '~~/core/time/tempo';
import type { TickRange } from '~~/core/time/units';
import { saveBytes } from '~/controls/save';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRollView } from './rollView';
import { useTidy } from './tidy';

/** Table of all events, edited in place. Its selection is the roll's. */
const props = defineProps<{ range: TickRange }>();
const tidy = useTidy();
const reading = useReading();
const openSong = useOpenSong();
const notices = useNotices();
const view = useRollView();

const kind = ref<RowKind>('everything');
const lane = ref<string>('');
const unit = ref<Unit>('bars');
const [low, high] = [ref(0), ref(127)];
const kinds = ROW_KINDS.map((value) => ({ value, title: value[0]!.toUpperCase() + value.slice(1) }));
const units = [
  { value: UNITS[0], title: 'Bars and ticks' },
  { value: UNITS[1], title: 'Milliseconds' },
];
const lanes = computed(() => [
  { value: '', title: 'Every controller' },
  ...lanesOf(tidy.shown?.line.controls ?? []).map((value) => ({ value, title: laneWords(value) })),
]);
const rows = computed(() =>
  tidy.shown
    ? rowsOf(tidy.shown, {
        kind: kind.value,
        lane: lane.value || null,
        low: low.value,
        high: high.value,
        range: props.range,
      })
    : [],
);
const items = computed(() =>
  rows.value.map((row) => ({
    row,
    id: row.id,
    at: row.at,
    name: row.note ? row.note.key : -1,
    value: row.value,
    length: row.note ? row.note.end - row.note.start : -1,
    played: row.played ?? -1e9,
  })),
);
const HEADS = [
  { key: 'at', title: 'At' },
  { key: 'name', title: 'Event' },
  { key: 'value', title: 'Value' },
  { key: 'length', title: 'Length' },
  { key: 'played', title: 'Played at' },
];
const words = (row: Row, column: string): string => {
  const { maps } = reading;
  switch (column) {
    case 'at':
      return placeWords(row.at, unit.value, maps!);
    case 'name':
      return rowName(row);
    case 'value':
      return String(row.value);
    case 'length':
      return row.note ? lengthWords(row.note, unit.value, maps!) : '';
    default:
      return row.played === null ? '' : placeWords(row.played, unit.value, maps!);
  }
};

/** Cell that is being edited. */
const typing = ref<{ readonly id: string; readonly column: string } | null>(null);
const isTyped = (row: Row, column: string) => typing.value?.id === row.id && typing.value.column === column;
const canType = (row: Row, column: string) =>
  column !== 'played' && (row.note !== undefined || column === 'at' || column === 'value');
function begin(row: Row, column: string): void {
  if (!canType(row, column)) return;
  typing.value = { id: row.id, column };
  void nextTick(() => (document.querySelector('.list .typed') as HTMLInputElement | null)?.select());
}
const no = (what: string): void => notices.say(`${what} Nothing was changed.`, 'plain');
function finish(row: Row, column: string, text: string): void {
  if (!isTyped(row, column)) return;
  typing.value = null;
  if (!tidy.shown || text === words(row, column)) return;
  if (row.note) typeNote(row.note, column, text);
  else typeControl(row, column, text);
}
function typeNote(note: NonNullable<Row['note']>, column: string, text: string): void {
  const shown = tidy.shown!;
  const figure = Number(text.replace(',', '.'));
  if (column === 'at') {
    const at = readPlace(text, unit.value, openSong.maps);
    if (at === undefined) return no('A place is a bar, a beat and ticks, as 17·2·120, or milliseconds.');
    tidy.change(
      'where a note starts',
      placeStarts([note], shown, () => at),
    );
  } else if (column === 'name') {
    const key = readKey(text);
    if (key === undefined) return no('A key is a name, as E4 or Eb4, or a number from 0 to 127.');
    tidy.move([note], 0, key - note.key);
  } else if (!Number.isFinite(figure) || text.trim() === '') no('Type a number.');
  else if (column === 'value') tidy.change('the velocity', changeVelocities([note], shown, { to: figure }));
  else {
    const { tempo } = openSong.maps;
    const ticks =
      unit.value === 'bars' ? figure : tickAt(tempo, secondsAt(tempo, note.start) + figure / 1000) - note.start;
    tidy.change('the length of a note', lengthenNotes([note], shown, { to: ticks }));
  }
}
/** Moves a controller event, or changes its value. */
function typeControl(row: Row, column: string, text: string): void {
  const of = row.lane!;
  const at = column === 'at' ? readPlace(text, unit.value, openSong.maps) : row.at;
  const value = column === 'value' ? Number(text) : row.value;
  if (at === undefined) return no('A place is a bar, a beat and ticks, as 17·2·120, or milliseconds.');
  if (!Number.isInteger(value) || value < 0 || value > scaleOf(of).most)
    return no(`A value lies between 0 and ${scaleOf(of).most}.`);
  const all = rows.value.filter((r) => r.lane === of && r.id !== row.id);
  const range = { from: Math.min(Math.floor(row.at), Math.floor(at)), to: Math.max(row.at, at) + 1 };
  const inside = all.filter((r) => r.at >= range.from && r.at < range.to).map((r) => [r.at, r.value] as const);
  tidy.change('a controller', drawLane(tidy.part!, of, range, [...inside, [at, value]]));
}
function choose(row: Row, event: MouseEvent | KeyboardEvent): void {
  view.turnTo(row.at);
  if (!row.note) return;
  tidy.choose([row.note], event.shiftKey || event.ctrlKey || event.metaKey ? 'more' : 'only');
  tidy.soundNote(row.note);
}
function readLimit(text: string, before: number): number {
  return readKey(text) ?? before;
}
function save(): void {
  const title = `${openSong.document.title}, ${tidy.part?.name ?? ''}`;
  const text = rowsText(title, rows.value, unit.value, openSong.maps);
  saveBytes(`${title} - events.txt`, new TextEncoder().encode(text), 'text/plain');
}
</script>

<template>
  <section class="list sheet" aria-label="The list">
    <div class="tools">
      <SmallSelect v-model="kind" :items="kinds" label="Kind of event" />
      <SmallSelect v-if="kind !== 'notes'" v-model="lane" :items="lanes" label="Controller" />
      <template v-if="kind !== 'controllers'">
        <span class="quiet">keys</span>
        <SmallField :model-value="low" aria-label="Lowest key" @set="(t) => (low = readLimit(t, low))" />
        <SmallField :model-value="high" aria-label="Highest key" @set="(t) => (high = readLimit(t, high))" />
      </template>
      <SmallSelect v-model="unit" :items="units" label="Places in" />
      <span class="space quiet figures">{{ rows.length }}</span>
      <v-btn size="small" :disabled="rows.length === 0" @click="save">Save as text</v-btn>
    </div>
    <v-data-table-virtual
      class="events"
      :headers="HEADS"
      :items="items"
      item-value="id"
      :item-height="26"
      density="compact"
      fixed-header
      height="100%"
      no-data-text="Nothing here. Choose other bars, or another kind of event."
    >
      <template #item="{ item }">
        <tr :class="{ chosen: tidy.chosen.has(item.id) }">
          <td v-for="h in HEADS" :key="h.key" class="figures">
            <input
              v-if="isTyped(item.row, h.key)"
              class="typed"
              :value="words(item.row, h.key)"
              :aria-label="`${h.title} of ${words(item.row, 'name')}`"
              @keydown.enter="finish(item.row, h.key, ($event.target as HTMLInputElement).value)"
              @keydown.esc="typing = null"
              @blur="finish(item.row, h.key, ($event.target as HTMLInputElement).value)"
            />
            <button
              v-else
              :aria-label="`${h.title}: ${words(item.row, h.key)}`"
              @click="choose(item.row, $event)"
              @dblclick="begin(item.row, h.key)"
              @keydown.enter.prevent="begin(item.row, h.key)"
            >
              {{ words(item.row, h.key) }}<span v-if="h.key === 'name' && item.row.silent" class="quiet"> silent</span>
            </button>
          </td>
        </tr>
      </template>
    </v-data-table-virtual>
    <p class="quiet hint">Click to select and hear; double-click, or Enter, to type over.</p>
  </section>
</template>

<style scoped>
.list {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  min-height: 0;
  padding: 8px 10px 4px;
}
.tools {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12.5px;
}
.tools .small-select {
  flex: 0 0 132px;
}
.tools .small-field:not(.small-select) {
  flex: 0 0 58px;
}
.space {
  flex: 1;
  text-align: right;
}
.events {
  background: none;
  min-height: 0;
}
.events :deep(th),
td {
  height: 26px !important;
  font-size: 12.5px;
}
td button,
.typed {
  width: 100%;
  text-align: left;
  min-height: 20px;
}
.typed {
  border: 1px solid var(--copper);
  border-radius: 4px;
  padding: 0 4px;
}
.chosen {
  background: var(--copper-soft);
}
.hint {
  margin: 2px 0;
  font-size: 12px;
}
</style>
