import { computerKey } from '~~/engine/keyboards/hand';
import { useEventListener } from '@vueuse/core';
import { toValue, type MaybeRefOrGetter } from 'vue';
import { useKeyboards } from '~/keyboards/keyboards';

export type Shortcuts = Readonly<Record<string, (event: KeyboardEvent) => void>>;

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLInputElement
    ? !/^(checkbox|radio|range)$/.test(target.type)
    : target instanceof HTMLElement && (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName));

const isLetter = (key: string): boolean => /^[a-z;']$/i.test(key);

/** Digit of a key in the digit row on keyboards that write digits with Shift; otherwise the key itself. */
function nameOf({ key, code, shiftKey }: KeyboardEvent): string {
  const digit = /^Digit(\d)$/.exec(code)?.[1];
  if (digit !== undefined && key !== digit) return `shift+${digit}`;
  return `${shiftKey && !isLetter(key) && !/^\d$/.test(key) ? 'shift+' : ''}${key.toLowerCase()}`;
}
/** Name of a key in a shortcut, with Shift where it is held. */
export const shortcutName = (event: KeyboardEvent): string =>
  event.shiftKey && isLetter(event.key) ? `shift+${event.key.toLowerCase()}` : nameOf(event);

/**
 * Test for a key that belongs to what has the focus: lists and dialogs keep their keys, popups all but single letters,
 * checkboxes Space, sliders and tabs their arrows. Elsewhere Space plays and stops, as buttons have Enter.
 */
function isOfTarget({ key, shiftKey, target: at }: KeyboardEvent): boolean {
  const target = at instanceof HTMLElement ? at : null;
  // Tab moves the focus; only without a focus may it have a meaning.
  if (key === 'Tab' && (shiftKey || (target && target !== document.body))) return true;
  if (!target) return false;
  if (target.closest('.v-overlay-container') && !(target.closest('.popup') && /^[a-z,.]$/i.test(key))) return true;
  if (target.closest('input') && key === ' ') return true;
  return target.closest('[role=slider], [role=tablist], input') !== null && /^(Arrow|Home|End|Page)/.test(key);
}

/**
 * Shortcuts of a component by key name in lower case, such as "shift+arrowleft". While the computer's keys play notes,
 * a letter needs Ctrl or Cmd.
 */
export function useShortcuts(given: MaybeRefOrGetter<Shortcuts>, released: Shortcuts = {}): void {
  const keyboards = useKeyboards();

  /** Test for a letter that plays a note; with Ctrl or Cmd it means what it means elsewhere without. */
  function isForNotes(event: KeyboardEvent): boolean {
    const control = event.ctrlKey || event.metaKey;
    const playable = keyboards.computerPlays && isLetter(event.key);
    return control ? !playable : playable;
  }

  function actionOf(event: KeyboardEvent): Shortcuts[string] | undefined {
    const key = event.key.toLowerCase();
    const shortcuts = toValue(given);
    // On some keyboards a sign needs Shift.
    const plain = key.length === 1 ? shortcuts[key] : undefined;
    // A letter with Shift may have a meaning of its own.
    return (event.shiftKey ? shortcuts[`shift+${key}`] : undefined) ?? shortcuts[nameOf(event)] ?? plain;
  }

  function down(event: KeyboardEvent): void {
    if (typing(event.target) || event.altKey || isForNotes(event) || isOfTarget(event)) return;
    const action = actionOf(event);
    if (!action || (event.repeat && isLetter(event.key))) return;
    event.preventDefault();
    action(event);
  }

  function up(event: KeyboardEvent): void {
    // Space would also click a button on its release.
    if (
      event.key === ' ' &&
      toValue(given)[' '] &&
      !typing(event.target) &&
      !(event.target instanceof HTMLInputElement) &&
      !(event.target as HTMLElement).closest?.('.v-overlay-container')
    )
      event.preventDefault();
    released[event.key.toLowerCase()]?.(event);
  }

  useEventListener('keydown', down);
  useEventListener('keyup', up);
}

/** Lets the computer's letter keys play notes while that is switched on. */
export function useComputerKeys(): void {
  const keyboards = useKeyboards();
  const sounding = new Map<string, number>();

  function down(event: KeyboardEvent): void {
    if (
      !keyboards.computerPlays ||
      typing(event.target) ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      event.repeat
    )
      return;
    if (event.code === 'KeyZ' || event.code === 'KeyX') {
      keyboards.octave = Math.max(1, Math.min(7, keyboards.octave + (event.code === 'KeyX' ? 1 : -1)));
      return;
    }
    const key = computerKey(event.code, keyboards.octave);
    if (key === undefined || sounding.has(event.code)) return;
    event.preventDefault();
    sounding.set(event.code, key);
    keyboards.computer.down(key, 84, event.timeStamp);
  }

  function up(event: KeyboardEvent): void {
    const key = sounding.get(event.code);
    if (key === undefined) return;
    sounding.delete(event.code);
    keyboards.computer.up(key, event.timeStamp);
  }

  /** A key released in another window would leave its note hanging. */
  function releaseAll(): void {
    for (const key of sounding.values()) keyboards.computer.up(key, performance.now());
    sounding.clear();
  }

  useEventListener('keydown', down);
  useEventListener('keyup', up);
  useEventListener('blur', releaseAll);
}
