import { createError, getRequestHeader, getRouterParam, setResponseHeader, type H3Event } from 'h3';
import { z } from 'zod';
import { recordingId } from '../../core/takes/schema';

const idSchema = z.string().min(1).max(200);

/** Refuses a request, with a reason for the screen. */
export const refuse = (statusCode: number, reason: string, data?: unknown): never => {
  throw createError({ statusCode, statusMessage: reason.replaceAll(/[^\x20-\x7e]/g, '-'), message: reason, data });
};

/** Parsed value, or an answer of 422 that says what is wrong. */
export function checked<T>(schema: z.ZodType<T>, value: unknown, what: string): T {
  const outcome = schema.safeParse(value);
  if (outcome.success) return outcome.data;
  const [issue] = outcome.error.issues;
  return refuse(422, `${what} is not right: ${issue!.path.join('.') || 'the whole'}: ${issue!.message}`);
}

const MEGABYTE = 2 ** 20;
/** Most bytes of a request's body, by its content. */
export const MOST_BYTES = {
  facts: MEGABYTE / 4,
  change: 24 * MEGABYTE,
  events: 12 * MEGABYTE,
  song: 96 * MEGABYTE,
  peaks: 32 * MEGABYTE,
  sound: 16 * MEGABYTE,
} as const;

/** Body of a request up to a limit; answers 413 beyond, whatever length was announced. */
export async function bytesOf(event: H3Event, most: number): Promise<Buffer> {
  const tooLarge = (): never => {
    // The rest of the body is not waited for.
    setResponseHeader(event, 'Connection', 'close');
    return refuse(413, `That is more than the server takes at once: ${Math.round(most / 1024)} kB at most.`);
  };
  if (Number(getRequestHeader(event, 'content-length') ?? 0) > most) return tooLarge();
  const pieces: Buffer[] = [];
  let length = 0;
  for await (const piece of event.node.req as AsyncIterable<Buffer>) {
    length += piece.length;
    if (length > most) return tooLarge();
    pieces.push(piece);
  }
  return Buffer.concat(pieces);
}

/** Parsed body of a request. Answers 400 for anything but JSON, and 422 for an invalid value. */
export async function bodyOf<T>(event: H3Event, schema: z.ZodType<T>, most: number = MOST_BYTES.facts): Promise<T> {
  const text = (await bytesOf(event, most)).toString('utf8');
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    return refuse(400, 'The request is not JSON.');
  }
  return checked(schema, body, 'The request');
}

/** Decoded parameter of the path. */
export function paramOf(event: H3Event, name: string): string {
  const raw = getRouterParam(event, name) ?? '';
  let text = raw;
  try {
    text = decodeURIComponent(raw);
  } catch {
    return refuse(422, 'The address is not right.');
  }
  return checked(idSchema, text, 'The address');
}

export const numberParamOf = (event: H3Event, name: string): number =>
  checked(z.coerce.number().int().min(0).max(1e9), getRouterParam(event, name), 'The address');

/** Content hash in the path, validated strictly, as it becomes a file name. */
export const hashParamOf = (event: H3Event): string =>
  checked(z.string().regex(/^[0-9a-f]{64}$/), getRouterParam(event, 'hash'), 'The address');

/** Id of a recording in the path, validated likewise. */
export const recordingParamOf = (event: H3Event): string =>
  checked(recordingId, getRouterParam(event, 'id'), 'The address');
