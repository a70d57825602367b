import { computed, ref } from 'vue';
import { lengthenNotes, changeVelocities } from '~~/core/editing/notes';
import { neighbour } from '~~/core/editing/select';
import { lengthWords, placeWords } from '~~/core/editing/rows';
import { keyName } from '~~/core/performance/messages';
import { useReading } from '~/song/reading';
import { useRoll } from '~/transport/roll';
import { useRollView } from './rollView';
import { useTidy } from './tidy';

/** Velocity that one key press adds or takes away. */
const VELOCITY_STEP = 5;
const ZOOM = 0.7;

/** Keyboard of the roll: arrows walk through the notes, Shift extends the selection, Ctrl moves it. */
export function useRollKeys(removeBar: () => boolean, keysInSight: () => { low: number; high: number }) {
  const tidy = useTidy();
  const reading = useReading();
  const roll = useRoll();
  const view = useRollView();
  /** Words for a screen reader after the cursor or the selection has moved. */
  const spoken = ref('');

  const described = computed(() => {
    const note = tidy.atCursor;
    if (!note || !reading.maps) return '';
    const silent = tidy.shown?.silent.includes(note) ? ', silent' : '';
    const hand = note.fixed || note.made ? ', by hand' : '';
    const others = tidy.chosen.size > 1 ? `; ${tidy.chosen.size} selected` : '';
    return (
      `${keyName(note.key)}, ${placeWords(note.start, 'bars', reading.maps)}, velocity ${note.velocity}, ` +
      `${lengthWords(note, 'bars', reading.maps)} ticks long${silent}${hand}${others}`
    );
  });

  function walk(way: 'next' | 'before' | 'above' | 'below', more: boolean): void {
    const from = tidy.atCursor;
    const first = tidy.all.find((n) => n.start >= view.range.from) ?? tidy.all[0];
    const to = from ? neighbour(tidy.all, from, way) : first;
    if (!to) return;
    tidy.choose([to], more ? 'more' : 'only');
    view.turnTo(to.start);
    tidy.soundNote(to);
    spoken.value = described.value;
  }
  function velocity(by: number): void {
    if (tidy.shown) tidy.change('the velocity', changeVelocities(tidy.selection, tidy.shown, { by }));
  }
  function length(by: number): void {
    if (tidy.shown) tidy.change('the length of notes', lengthenNotes(tidy.selection, tidy.shown, { by }));
  }
  const nudge = (by: number, keys: number): void => {
    tidy.move(tidy.selection, by, keys);
    spoken.value = described.value;
  };

  const PLAIN: Readonly<Record<string, (shift: boolean) => void>> = {
    ArrowLeft: (shift) => walk('before', shift),
    ArrowRight: (shift) => walk('next', shift),
    ArrowUp: (shift) => walk('above', shift),
    ArrowDown: (shift) => walk('below', shift),
    Home: () => {
      if (tidy.all[0]) tidy.choose([tidy.all[0]]);
    },
    End: () => {
      if (tidy.all.length > 0) tidy.choose([tidy.all.at(-1)!]);
    },
    PageUp: () => view.scroll(view.range.from - view.range.to),
    PageDown: () => view.scroll(view.range.to - view.range.from),
    Delete: () => {
      if (!removeBar()) tidy.remove();
    },
    Backspace: () => {
      if (!removeBar()) tidy.remove();
    },
    Escape: () => tidy.choose([]),
    '[': () => length(-tidy.step),
    ']': () => length(tidy.step),
    '-': () => velocity(-VELOCITY_STEP),
    '+': () => velocity(VELOCITY_STEP),
    '=': () => velocity(VELOCITY_STEP),
    '0': () => tidy.silence(),
    '<': () => view.zoom(1 / ZOOM),
    '>': () => view.zoom(ZOOM),
    '{': () => view.zoomKeys(1 / ZOOM, keysInSight()),
    '}': () => view.zoomKeys(ZOOM, keysInSight()),
    '*': () => view.showNotes(tidy.selection),
  };
  const WITH_CONTROL: Readonly<Record<string, (shift: boolean) => void>> = {
    ArrowLeft: (shift) => nudge(shift ? -1 : -tidy.step, 0),
    ArrowRight: (shift) => nudge(shift ? 1 : tidy.step, 0),
    ArrowUp: (shift) => nudge(0, shift ? 12 : 1),
    ArrowDown: (shift) => nudge(0, shift ? -12 : -1),
    a: () => tidy.choose(tidy.all),
    c: () => tidy.copy(),
    x: () => tidy.cut(),
    v: () => tidy.paste(Math.round(roll.playhead)),
    d: () => tidy.repeat(),
  };

  function down(event: KeyboardEvent): void {
    if (event.altKey) return;
    const control = event.ctrlKey || event.metaKey;
    const key = control && event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const act = (control ? WITH_CONTROL : PLAIN)[key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act(event.shiftKey);
  }

  return { down, spoken, described };
}
