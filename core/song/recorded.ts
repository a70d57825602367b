import { layerOfNote } from '../performance/notes';
import { splitSet } from '../performance/noteSet';
import type { Draft } from 'immer';
import { outcomeOf } from '../recording/outcome';
import type { PassResult } from '../recording/state';
import { isBlank, splitEdit, type Edit } from '../takes/edits';
import type { LayerHeader } from '../takes/layer';
import { pick, unpicked, type Pick as CompPick } from '../takes/line';
import { applyTreatment, type Treatment } from '../timing/treatments';
import { wholeTicks, type TickRange } from '../time/units';
import { newPart, type Part } from '../document/part';
import type { SongDocument } from '../document/document';
import { newTake, placementOf, type Take } from '../document/take';
import { partOf, UnknownThing, type SongDraft } from './draft';
import { warpOf } from '../reading/reading';

/** Request to move a layer out of its take into the first take of a new part. */
export interface MoveLayerOut {
  readonly part: string;
  readonly take: string;
  readonly layer: string;
  readonly to: { readonly id: string; readonly name: string; readonly takeId: string };
}

function addTake(part: Draft<Part>, header: LayerHeader, { from, to }: TickRange, at: string): Draft<Take> {
  const number = Math.max(0, ...part.takes.map((t) => t.number)) + 1;
  const { placement } = header;
  const take = newTake({ id: header.takeId, number, layers: [header.id], from, to, placement: { ...placement }, at });
  part.takes.push(take as Draft<Take>);
  return part.takes.at(-1)!;
}

/** Adds a layer on top of a take. It keeps its own placement, which may differ from the take's. */
function addLayer(take: Draft<Take>, { id, placement }: LayerHeader): void {
  take.layers.push(id);
  const isOther = placement.policy !== take.placement.policy || placement.nudge !== take.placement.nudge;
  if (isOther) take.placements[id] = { ...placement };
}

/** Picks a take in a range. */
export const hear = (part: Draft<Part>, chosen: CompPick): void => {
  part.comp = pick(part.comp as CompPick[], chosen) as Draft<Part>['comp'];
  // Controllers come with the take, and replace lanes that were picked separately.
  part.lanes = unpicked(part.lanes, wholeTicks(chosen));
};

/**
 * Merges a layer over what is heard in its range. Each picked take gets it, in the ranges where it is picked; bars
 * without a pick go to the take that ends or begins there, or to a new one.
 */
export function mergeOver(part: Draft<Part>, header: LayerHeader, range: TickRange, at: string): void {
  const receivers = receiversOf(part, range);
  const takes = new Set(receivers.map((r) => r.take));
  for (const id of takes) {
    const own = receivers.filter((r) => r.take === id);
    const ranges = joined(own);
    const take = id === null ? addTake(part, header, range, at) : part.takes.find((t) => t.id === id)!;
    if (id !== null) addLayer(take, header);
    if (takes.size > 1) take.windows[header.id] = ranges;
    for (const { from, to, heard } of own) if (!heard) hear(part, { from, to, takeId: take.id });
    take.from = Math.min(take.from, ...ranges.map((s) => s.from));
    take.to = Math.max(take.to, ...ranges.map((s) => s.to));
  }
}

interface Receiver extends TickRange {
  /** Take that receives it; null for a new one. */
  readonly take: string | null;
  /** True if it is picked there already. */
  readonly heard: boolean;
}

/** Takes that receive what is recorded over a range, by range. */
export function receiversOf({ comp, takes }: Pick<Part, 'comp' | 'takes'>, range: TickRange): Receiver[] {
  const heard = comp
    .filter((c) => c.to > range.from && c.from < range.to)
    .map((c): Receiver => ({
      from: Math.max(c.from, range.from),
      to: Math.min(c.to, range.to),
      take: c.takeId,
      heard: true,
    }));
  const takeOf = (id: string | undefined) => takes.find((t) => t.id === id);
  const gaps: Receiver[] = [];
  let from = range.from;
  for (const next of [...heard, null]) {
    const to = next?.from ?? range.to;
    if (to > from) {
      // A take may only grow over bars in which it has nothing of its own, as that would be heard.
      const before = takeOf(comp.findLast((c) => c.to <= from && c.to === from)?.takeId);
      const after = takeOf(next?.take ?? comp.find((c) => c.from === to)?.takeId);
      const onto = before && before.to <= from ? before : undefined;
      const grows = onto ?? (after && after.from >= to ? after : undefined);
      gaps.push({ from, to, take: grows?.id ?? null, heard: false });
    }
    from = Math.max(from, next?.to ?? from);
  }
  return [...heard, ...gaps].sort((a, b) => a.from - b.from);
}

const joined = (ranges: readonly TickRange[]): { from: number; to: number }[] =>
  ranges.reduce<{ from: number; to: number }[]>((done, { from, to }) => {
    const last = done.at(-1);
    if (last?.to === from) last.to = to;
    else done.push({ from, to });
    return done;
  }, []);

/** Stores the layers of a pass or lap where its mode says. */
export function record(draft: SongDraft, { mode, layers }: PassResult, at: string): void {
  for (const { header, closing, notes, touched } of layers) {
    const part = partOf(draft, header.partId);
    const { range } = closing;
    // Two windows may both find a pass that was cut off: the same layer is stored once.
    const there = part.takes.some((t) => t.layers.includes(header.id));
    if (there || range.to <= range.from) continue;
    const begun = part.takes.find((t) => t.id === header.takeId);
    const { goes, heard } = outcomeOf(header, mode, {
      played: notes,
      whole: range.to >= header.planned.to,
      touched: touched ?? false,
      begun: begun !== undefined,
    });
    if (goes === 'nowhere') continue;
    if (goes === 'over') mergeOver(part, header, range, at);
    else if (begun) {
      // The take was begun by an earlier lap.
      addLayer(begun, header);
      begun.from = Math.min(begun.from, range.from);
      begun.to = Math.max(begun.to, range.to);
      hear(part, { ...range, takeId: begun.id });
    } else {
      const take = addTake(part, header, range, at);
      if (heard) hear(part, { ...range, takeId: take.id });
    }
    // New notes are treated where they are picked; existing ones stay as they are.
    if (header.quantize && !header.ride && notes > 0 && heard) {
      const treatment: Treatment = {
        id: `${header.id}-treatment`,
        ...range,
        ...header.quantize,
        ...(goes === 'over' || begun ? { layers: [header.id] } : {}),
      };
      part.treatments = applyTreatment(part.treatments as Treatment[], treatment) as Draft<Part>['treatments'];
    }
  }
}

/** Moves a layer out of its take into the first take of a new part. */
export function moveLayerOut(draft: SongDraft, { part: id, take: takeId, layer, to }: MoveLayerOut): void {
  const part = partOf(draft, id);
  const take = part.takes.find((t) => t.id === takeId);
  if (!take?.layers.includes(layer)) throw new UnknownThing('That layer is no longer in the take.');
  if (take.layers.length === 1)
    throw new UnknownThing('The take has no other layer, so there is nothing to move it away from.');
  const made = newPart(
    { ...to, sound: part.sound, tone: part.tone, gainDb: part.gainDb },
    draft.parts.length,
  ) as Draft<Part>;
  const placement = { ...placementOf(take as Take, layer) };
  made.placement = placement;
  const index = take.layers.indexOf(layer);
  // Its windows are in the tempo of its recording; their present place follows from its tempo warp.
  const warp = warpOf(take as Take, draft.clocks as SongDocument['clocks'], index);
  const own = take.windows[layer]?.map((w) =>
    warp ? { from: Math.round(warp(w.from)), to: Math.round(warp(w.to)) } : { ...w },
  ) ?? [{ from: take.from, to: take.to }];
  const moved = newTake({
    id: to.takeId,
    number: 1,
    layers: [layer],
    from: own[0]!.from,
    to: own.at(-1)!.to,
    placement,
    at: take.at,
    windows: take.windows[layer] ? { [layer]: take.windows[layer] } : {},
  });
  // Hand edits of its notes go along. Each keeps its place in the order, if only as an empty edit.
  const split = (take.edits as Edit[]).map((edit) => splitEdit(edit, layer));

  const kept = (edits: readonly Edit[]): Edit[] => (edits.some((e) => !isBlank(e)) ? [...edits] : []);
  const edits = kept(split.map((s) => s.own));
  // The changes of tempo that the old take stayed in place for also apply to the new one, with the edits before each.
  const warps = take.warps
    .filter((w) => index < w.layers)
    .map((w) => ({ ...w, layers: 1, edits: Math.min(w.edits, edits.length) }));
  made.takes.push({ ...moved, warps, edits } as Draft<Take>);
  if (split.some((s) => !isBlank(s.own))) take.edits = split.map((s) => s.others) as Draft<Take>['edits'];
  made.comp = own.map((w) => ({ ...w, takeId: to.takeId }));
  const treated = (part.treatments as Treatment[]).flatMap(({ layers, notes, ...t }): Treatment[] => {
    if (layers && !layers.includes(layer)) return [];
    const own = notes && splitSet(notes, layer).own;
    if (own && Object.keys(own).length === 0) return [];
    return layers || own ? [{ ...t, ...(own ? { notes: own } : {}) }] : [];
  });
  made.treatments = treated as Draft<Part>['treatments'];
  // Decisions about its notes go along.
  for (const [note, line] of Object.entries(part.decided)) {
    if (layerOfNote({ id: note }) !== layer) continue;
    made.decided[note] = line;
    delete part.decided[note];
  }
  part.treatments = part.treatments.flatMap((t) => {
    const layers = t.layers?.filter((l) => l !== layer);
    if (!layers) return [t];
    return layers.length ? [{ ...t, layers }] : [];
  });
  draft.parts.push(made);
  take.layers.splice(index, 1);
  take.warps = take.warps
    .map((w) => (index < w.layers ? { ...w, layers: w.layers - 1 } : w))
    .filter((w) => w.layers > 0);
  take.muted = take.muted.filter((m) => m !== layer);
  delete take.windows[layer];
  delete take.placements[layer];
}
