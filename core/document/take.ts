import { z } from 'zod';
import { placementSchema } from '../placement/schema';
import { id, range } from '../vocabulary/fields';

const warpSchema = z
  .object({
    /** It moves the take's first so many layers: later ones were recorded after it. */
    layers: z.number().int().min(1),
    /** From which of the song's former tempos, and to which, by their place in `clocks`. */
    from: z.number().int().min(0),
    to: z.number().int().min(0),
    /** In seconds: how much later it lies on the new clock. */
    shift: z.number().min(-7200).max(7200),
  })
  .readonly();

export const takeSchema = z
  .object({
    id,
    /** Counts up within the part; never used again. */
    number: z.number().int().min(1),
    layers: z.array(id).min(1),
    ...range,
    placement: placementSchema,
    /** ISO 8601. */
    at: z.string(),
    /**
     * How its layers have moved since they were recorded, when the tempo changed and they stayed with the recording.
     */
    warps: z.array(warpSchema).readonly().default([]),
    /** For a layer that lies in only some stretches of the take: another take was heard in the rest of its pass. */
    windows: z.record(id, z.array(z.object(range).readonly()).readonly()).default({}),
    /** Layers that are not heard. */
    muted: z.array(id).readonly().default([]),
  })
  .readonly();
export type Take = z.infer<typeof takeSchema>;

/** Which take is heard in a stretch; the comp is made of these. */
export const pickSchema = z.object({ ...range, takeId: id }).readonly();

/** FNV-1a (Fowler, Noll, Vo), twice with different starts: 64 bits that tell one text from another. */
function fingerprint(text: string): string {
  const hash = (start: number): number => {
    let value = start;
    for (let i = 0; i < text.length; i += 1) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
    return value >>> 0;
  };
  return [hash(0x811c9dc5), hash(0x9747b28c)].map((half) => half.toString(16).padStart(8, '0')).join('');
}

/**
 * Changes whenever a take would sound different: by other layers in it, another placement, another tempo that it sat
 * out.
 */
export const takeSign = ({
  layers,
  placement,
  warps,
  windows,
  muted,
}: Pick<Take, 'layers' | 'placement' | 'warps' | 'windows' | 'muted'>): string =>
  fingerprint(
    JSON.stringify([
      layers,
      placement.policy,
      placement.nudge,
      warps.map((w) => [w.layers, w.from, w.to, w.shift]),
      Object.entries(windows).sort(([x], [y]) => (x < y ? -1 : 1)),
      [...muted].sort(),
    ]),
  );
