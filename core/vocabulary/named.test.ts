import { expect, it } from 'vitest';
import { KEPT } from '../kept/kept';
import { presetsSchema } from '../recording/presets';
import { USUAL_DELIVERY } from '../handover/delivery';
import { PLAIN_PASS } from '../document/brief';

it('what is kept by name has each name once', () => {
  const named = (...names: string[]) => names.map((name) => ({ name, value: USUAL_DELIVERY }));
  expect(KEPT.deliveries.safeParse(named('Reed', 'Lamp')).success).toBe(true);
  // Names are told apart as they are stored: without blanks around them.
  for (const twice of [named('Reed', 'Reed'), named('Reed', ' Reed ')])
    expect(KEPT.deliveries.safeParse(twice).error?.issues[0]?.message).toBe('two of them have one name');
  const preset = (name: string) => ({ name, brief: PLAIN_PASS });
  expect(presetsSchema.safeParse([preset('Plain'), preset('Other')]).success).toBe(true);
  expect(presetsSchema.safeParse([preset('Plain'), preset('Plain')]).success).toBe(false);
});
