import { computed } from 'vue';
import type { LearnedCommand, Trigger } from '~~/core/performance/learned';
import { keyName } from '~~/core/performance/messages';
import { laneWords } from '~~/core/recording/brief';
import { useKeyboards } from './keyboards';

interface Taught {
  readonly port: string;
  readonly command: LearnedCommand;
}

/** Actions that keys and pedals were taught, with the words for them. */
export function useTaught() {
  const keyboards = useKeyboards();
  const known = computed(() => {
    const all = new Map<Taught['command']['action'], Taught>();
    for (const port of keyboards.ports)
      for (const command of keyboards.settingsOf(port.id).learned) all.set(command.action, { port: port.id, command });
    return all;
  });
  const triggerWords = (t: Trigger): string =>
    t.kind === 'note' ? keyName(t.number) : laneWords(`control ${t.number}`);

  /** Words such as "the soft pedal, twice on Stage keyboard"; empty for an action that nobody was taught. */
  function wordsOf(action: LearnedCommand['action']): string {
    const found = known.value.get(action);
    if (!found) return '';
    const what = found.command.triggers.map(triggerWords).join(' + ');
    const where = keyboards.ports.find((p) => p.id === found.port);
    const times = found.command.needs === 'double' ? ', twice' : '';
    return `${what}${times} on ${where ? keyboards.nameOf(where) : 'a keyboard that is away'}`;
  }
  return { known, wordsOf };
}
