import type { Layer } from '../takes/layer';
import { layerOfNote } from '../performance/notes';
import { renamedSet } from '../performance/noteSet';
import type { Part } from '../document/part';
import type { SongDocument } from '../document/document';

/** Copy of a part with renamed layers; what was handed over still counts. */
function renamedPart(part: Part, renamed: (id: string) => string): Part {
  const takes = part.takes.map((take) => ({
    ...take,
    layers: take.layers.map(renamed),
    muted: take.muted.map(renamed),
    windows: Object.fromEntries(Object.entries(take.windows).map(([id, w]) => [renamed(id), w])),
    edits: take.edits.map((edit) =>
      'notes' in edit && edit.op !== 'add' ? { ...edit, notes: renamedSet(edit.notes, renamed) } : edit,
    ),
  }));
  // A note's id begins with its layer's.
  const note = (id: string) => renamed(layerOfNote({ id })) + id.slice(layerOfNote({ id }).length);
  const treated = (all: Part['treatments']) =>
    all.map((t) => ({
      ...t,
      ...(t.layers ? { layers: t.layers.map(renamed) } : {}),
      ...(t.notes ? { notes: renamedSet(t.notes, renamed) } : {}),
    }));
  const decided = (all: Part['decided']) =>
    Object.fromEntries(Object.entries(all).map(([id, line]) => [note(id), line]));
  const chosen = (all: Part['joins']) => all.map((j) => ({ ...j, drop: j.drop.map(note), keep: j.keep.map(note) }));
  return {
    ...part,
    takes,
    joins: chosen(part.joins),
    treatments: treated(part.treatments),
    decided: decided(part.decided),
  };
}

/** Copies a song with its layers under another title. The copies are independent. */
export function copySong(
  document: SongDocument,
  layers: readonly Layer[],
  title: string,
  newId: () => string,
): { document: SongDocument; layers: Layer[] } {
  // Layers of undone takes are left out, as the copy has no history to redo.
  const used = new Set(document.parts.flatMap((part) => part.takes.flatMap((take) => take.layers)));
  const own = layers.filter((l) => used.has(l.header.id));
  const ids = new Map(own.map((l) => [l.header.id, newId()]));
  const renamed = (id: string): string => ids.get(id) ?? id;
  return {
    document: { ...document, title, parts: document.parts.map((part) => renamedPart(part, renamed)) },
    layers: own.map((l) => ({ ...l, header: { ...l.header, id: ids.get(l.header.id)! } })),
  };
}

/** Next free title: after "Night Ferry" comes "Night Ferry 2". */
export function nextTitle(title: string, taken: readonly string[]): string {
  const stem = title.replace(/ \d+$/, '');
  for (let n = 2; ; n += 1) {
    const next = `${stem.slice(0, 114)} ${n}`;
    if (!taken.includes(next)) return next;
  }
}
