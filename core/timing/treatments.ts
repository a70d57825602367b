import { layerOfNote, type Note } from '../performance/notes';
import { belongsTo } from '../performance/intendedPlace';
import { idsOf, type NoteSet } from '../performance/noteSet';
import type { TickRange, Ticks } from '../time/units';
import { sameRecipe, type Recipe } from './recipe';

/** Scope of a treatment: whose notes it moves; all that are heard in its range where nothing is said. */
export interface Scope {
  /** The layers whose notes it moves. */
  readonly layers?: readonly string[] | undefined;
  /** The keys of one hand, both included. */
  readonly keys?: { readonly low: number; readonly high: number } | undefined;
  /** Notes that were selected. */
  readonly notes?: NoteSet | undefined;
}

/** A recipe over a range of a part. */
export interface Treatment extends TickRange, Recipe, Scope {
  readonly id: string;
}

const NARROWEST = ['notes', 'keys', 'layers'] as const;
const scopeOf = ({ layers, keys, notes }: Scope): Scope => ({ layers, keys, notes });
export const sameScope = (a: Scope, b: Scope): boolean => JSON.stringify(scopeOf(a)) === JSON.stringify(scopeOf(b));
/** Test for one that is for some of the notes only. */
export const isScoped = ({ layers, keys, notes }: Scope): boolean =>
  layers !== undefined || keys !== undefined || notes !== undefined;

const selected = new WeakMap<NoteSet, ReadonlySet<string>>();
function hasNote(set: NoteSet, id: string): boolean {
  let ids = selected.get(set);
  if (!ids) {
    ids = new Set(idsOf(set));
    selected.set(set, ids);
  }
  return ids.has(id);
}

const isOf = (note: Note, { layers, keys, notes }: Scope): boolean =>
  (!layers || layers.includes(layerOfNote(note))) &&
  (!keys || (note.key >= keys.low && note.key <= keys.high)) &&
  (!notes || hasNote(notes, note.id));

/**
 * The treatment that moves a note: of those in whose range it is meant, the one for the fewest. An onset just ahead
 * of a range that means its first beat belongs to it, and one just ahead of its end to what follows.
 */
export function treatmentOf(note: Note, treatments: readonly Treatment[]): Treatment | undefined {
  let found: Treatment | undefined;
  let best = -1;
  for (const t of treatments) {
    if (!belongsTo(note, t, true) || !isOf(note, t)) continue;
    const at = NARROWEST.findIndex((kind) => t[kind] !== undefined);
    const rank = at === -1 ? 0 : NARROWEST.length - at;
    // The later of two treatments with the same scope wins.
    if (rank >= best) [found, best] = [t, rank];
  }
  return found;
}

/** For each note the treatment that moves it, as `treatmentOf` says: of many that are for selected notes, in one go. */
export function treatmentFinder(treatments: readonly Treatment[]): (note: Note) => Treatment | undefined {
  const forSome = new Map<string, Treatment[]>();
  const others: Treatment[] = [];
  for (const t of treatments) {
    if (!t.notes) others.push(t);
    else
      for (const id of idsOf(t.notes)) {
        const own = forSome.get(id);
        if (own) own.push(t);
        else forSome.set(id, [t]);
      }
  }
  // A treatment for selected notes comes before all that are for more.
  return (note) => treatmentOf(note, forSome.get(note.id) ?? []) ?? treatmentOf(note, others);
}

/**
 * Applies a treatment to a range. Others are cut back to the rest of theirs, so that each range has one treatment. A
 * treatment for some of the notes is kept beside the others, and replaces an earlier one for the same notes; laps that
 * add to each other share theirs.
 */
export function applyTreatment(treatments: readonly Treatment[], added: Treatment): Treatment[] {
  const own = { ...added, from: Math.round(added.from), to: Math.round(added.to) };
  const { layers } = own;
  const byPlace = (all: Treatment[]): Treatment[] => withOwnIds(all, own.id).sort((a, b) => a.from - b.from);
  if (!isScoped(own)) return byPlace([...withoutTreatment(treatments, own), own]);
  const alone = layers && !own.keys && !own.notes;
  const shared = alone
    ? treatments.find(
        (t) => t.layers && !t.keys && !t.notes && t.from === own.from && t.to === own.to && sameRecipe(t, own),
      )
    : undefined;
  if (shared)
    return treatments.map((t) => (t === shared ? { ...t, layers: [...new Set([...t.layers!, ...layers!])] } : t));
  const others = treatments.flatMap((t) => (sameScope(t, own) ? withoutTreatment([t], own) : [t]));
  return byPlace([...others, own]);
}

/** Id of a piece that was cut out of a treatment: by the treatment and the piece's start, however often it is cut. */
const pieceId = (id: string, from: Ticks): string => `${id.split('@')[0]!.slice(0, 60)}@${from}`;

/**
 * Treatments with an id each, so that one can be named. Of two by one name the piece is named anew, or the later.
 * @param last the treatment that keeps its name, whatever else has it
 */
function withOwnIds(treatments: readonly Treatment[], last?: string): Treatment[] {
  const used = new Set(last === undefined ? [] : [last]);
  const keeps = last === undefined ? -1 : treatments.findLastIndex((t) => t.id === last);
  return treatments.map((t, i) => {
    if (i === keeps) return t;
    let { id } = t;
    for (let n = 0; used.has(id); n += 1) id = pieceId(t.id, t.from) + (n > 0 ? `.${n}` : '');
    used.add(id);
    return id === t.id ? t : { ...t, id };
  });
}

/** Takes the treatments off a range. */
export function withoutTreatment(treatments: readonly Treatment[], range: TickRange): Treatment[] {
  const from = Math.round(range.from);
  const to = Math.round(range.to);
  const left = treatments.flatMap((t) => {
    const before = { ...t, to: Math.min(t.to, from) };
    const after = { ...t, from: Math.max(t.from, to) };
    return [before, after].filter((piece) => piece.to > piece.from);
  });
  return withOwnIds(left);
}

/** The treatments that move something in a range, in their order. */
export const treatmentsIn = (treatments: readonly Treatment[], range: TickRange): Treatment[] =>
  treatments.filter((t) => t.from < range.to && t.to > range.from);
