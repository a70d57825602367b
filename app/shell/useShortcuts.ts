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
 * Shortcuts of a component by key name in lower case, such as "shift+arrowleft". While the computer's keys play notes,
 * a letter needs Ctrl or Cmd.
 */
export function useShortcuts(given: MaybeRefOrGetter<Shortcuts>, released: Shortcuts = {}): void {
  const keyboards = useKeyboards();

  function down(event: KeyboardEvent): void {
    if (typing(event.target) || event.altKey) return;
    const control = event.ctrlKey || event.metaKey;
    if (control && !(keyboards.computerPlays && isLetter(event.key))) return;
    if (keyboards.computerPlays && !control && isLetter(event.key)) return;
    // Lists and dialogs keep their keys; popups keep all but single letters. Elsewhere Space plays and stops whatever
    // has the focus, as buttons have Enter; checkboxes keep Space, sliders and tabs their arrows.
    const target = event.target instanceof HTMLElement ? event.target : null;
    if (target?.closest('.v-overlay-container') && !(target.closest('.popup') && /^[a-z,.]$/i.test(event.key))) return;
    if (target?.closest('input') && event.key === ' ') return;
    // Tab moves the focus; only without a focus may it have a meaning.
    if (event.key === 'Tab' && (event.shiftKey || (target && target !== document.body))) return;
    if (target?.closest('[role=slider], [role=tablist], input') && /^(Arrow|Home|End|Page)/.test(event.key)) return;
    // A letter with Shift may have a meaning of its own.
    const key = event.key.toLowerCase();
    const shortcuts = toValue(given);
    // On some keyboards a sign needs Shift.
    const plain = key.length === 1 ? shortcuts[key] : undefined;
    const action = (event.shiftKey ? shortcuts[`shift+${key}`] : undefined) ?? shortcuts[nameOf(event)] ?? plain;
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
