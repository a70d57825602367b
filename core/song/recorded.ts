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
import { warpOf } from './reading';

/** Request: the layer of a take that becomes the first take of which new part. */
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

/** Lays a layer over a take's others. Placement is the layer's: that of the take that receives it may be another. */
function addLayer(take: Draft<Take>, { id, placement }: LayerHeader): void {
  take.layers.push(id);
  const isOther = placement.policy !== take.placement.policy || placement.nudge !== take.placement.nudge;
  if (isOther) take.placements[id] = { ...placement };
}

/** Makes a take heard in a range. */
export const hear = (part: Draft<Part>, chosen: CompPick): void => {
  part.comp = pick(part.comp as CompPick[], chosen) as Draft<Part>['comp'];
  // With a take come its controllers, whatever was picked of them alone before.
  part.lanes = unpicked(part.lanes, wholeTicks(chosen));
};

/**
 * Lays a layer over what is heard in its range. Each take that is heard there takes it in, in the ranges where it
 * is heard; bars in which nothing is heard go to the take that ends or begins there, or to a new one.
 */
export function layOver(part: Draft<Part>, header: LayerHeader, range: TickRange, at: string): void {
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
  /** Null for a new take. */
  readonly take: string | null;
  /** True if it is heard there already. */
  readonly heard: boolean;
}

/** Take that takes in what is recorded over each part of a range. */
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
      // A take grows over bars in which it has nothing of its own that would then be heard.
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

/** Puts a pass's layers, or one lap's, where its mode says. */
export function record(draft: SongDraft, { mode, layers }: PassResult, at: string): void {
  for (const { header, closing, notes, touched } of layers) {
    const part = partOf(draft, header.partId);
    const { range } = closing;
    // Recording the same layer again is harmless: two windows may both find a pass that was cut off.
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
    if (goes === 'over') layOver(part, header, range, at);
    else if (begun) {
      // A take that the laps before this one have begun.
      addLayer(begun, header);
      begun.from = Math.min(begun.from, range.from);
      begun.to = Math.max(begun.to, range.to);
      hear(part, { ...range, takeId: begun.id });
    } else {
      const take = addTake(part, header, range, at);
      if (heard) hear(part, { ...range, takeId: take.id });
    }
    // What the pass brought is treated, where it is heard; what was there is left as it is.
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

/** Takes a layer out of its take and makes it the first take of a new part. */
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
  // Its windows lie in the tempo that it was recorded in; where they are now says its way from there.
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
  // What was changed by hand in its notes goes with them. Each edit keeps its place in the order, if only as a blank.
  const split = (take.edits as Edit[]).map((edit) => splitEdit(edit, layer));

  const kept = (edits: readonly Edit[]): Edit[] => (edits.some((e) => !isBlank(e)) ? [...edits] : []);
  const edits = kept(split.map((s) => s.own));
  // A change of tempo that it sat out in the old take is one that it sits out in the new, with the edits it has there.
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
  // What was decided of its notes goes along.
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
