import { createError, getRouterParam, readBody, type H3Event } from 'h3';
import { z } from 'zod';

const idSchema = z.string().min(1).max(200);

/** Refuses a request, with a reason for the person. */
export const refuse = (statusCode: number, reason: string, data?: unknown): never => {
  throw createError({ statusCode, statusMessage: reason.replaceAll(/[^\x20-\x7e]/g, '-'), message: reason, data });
};

function checked<T>(schema: z.ZodType<T>, value: unknown, what: string): T {
  const outcome = schema.safeParse(value);
  if (outcome.success) return outcome.data;
  const [issue] = outcome.error.issues;
  return refuse(422, `${what} is not right: ${issue!.path.join('.') || 'the whole'}: ${issue!.message}`);
}

/** The request's body, validated. Answers 400 for what is not JSON and 422 for what does not fit. */
export async function bodyOf<T>(event: H3Event, schema: z.ZodType<T>): Promise<T> {
  let body: unknown;
  try {
    body = await readBody(event);
  } catch {
    return refuse(400, 'The request is not JSON.');
  }
  return checked(schema, body, 'The request');
}

export const paramOf = (event: H3Event, name: string): string =>
  checked(idSchema, getRouterParam(event, name, { decode: true }), 'The address');

export const numberParamOf = (event: H3Event, name: string): number =>
  checked(z.coerce.number().int().min(0).max(1e9), getRouterParam(event, name), 'The address');

/** A content hash from the address: it becomes a file's name, so it is nothing else. */
export const hashParamOf = (event: H3Event): string =>
  checked(z.string().regex(/^[0-9a-f]{64}$/), getRouterParam(event, 'hash'), 'The address');
