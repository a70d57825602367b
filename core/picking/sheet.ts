import type { Part } from '../document/part';
import type { Take } from '../document/take';
import type { MeterMap } from '../time/meter';
import { barsWords, rangeWords } from '../time/words';

/** Take in the list of all takes. */
export interface SheetRow {
  readonly number: number;
  readonly name: string;
  readonly when: string;
  readonly bars: string;
  readonly mark: string;
  readonly note: string;
  /** Ranges where it is picked. */
  readonly picked: string;
}

/** @param whenOf words for how and when a take came about */
export const takeSheet = (part: Part, meter: MeterMap, whenOf: (take: Take) => string): SheetRow[] =>
  part.takes.map((take) => ({
    number: take.number,
    name: take.name,
    when: whenOf(take),
    bars: barsWords(take, meter),
    mark: take.mark ?? '',
    note: take.note,
    picked: part.comp
      .filter((p) => p.takeId === take.id)
      .map((p) => rangeWords(p, meter))
      .join(', '),
  }));

/** List as text: a line for each take, with tabs between fields. */
export function takeSheetText(part: string, rows: readonly SheetRow[]): string {
  const plain = (text: string | number) => String(text).replaceAll(/[\t\r\n]+/g, ' ');
  const head = ['No.', 'Name', 'When', 'Bars', 'Mark', 'Note', 'Picked'];
  const lines = rows.map((r) => [r.number, r.name, r.when, r.bars, r.mark, r.note, r.picked].map(plain));
  return [`Takes of ${part}`, '', ...[head, ...lines].map((fields) => fields.join('\t')), ''].join('\n');
}
