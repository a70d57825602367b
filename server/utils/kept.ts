import { createError, getRouterParam, type H3Event } from 'h3';
import { KEPT_KINDS, type KeptKind } from '../../core/kept/kept';

/** Kind of entries in the request's path. @throws 404 for an unknown one */
export function kindOf(event: H3Event): KeptKind {
  const kind = KEPT_KINDS.find((k) => k === getRouterParam(event, 'kind'));
  if (!kind) throw createError({ statusCode: 404, message: 'Nothing of that kind is kept here.' });
  return kind;
}
