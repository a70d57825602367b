import type { H3Event } from 'h3';
import { runOf, type Run } from '../handover/runs';
import { NothingToMake } from '../handover/source';
import { paramOf, refuse } from './requests';

/** Result of a run's function, or its refusal as an answer. */
export const answered = <T>(work: Promise<T>): Promise<T> =>
  work.catch((error: unknown) => {
    if (error instanceof NothingToMake) return refuse(error.status, error.message);
    throw error;
  });

/** Run of the request's path; 404 for one that is gone. */
export const runOfRequest = (event: H3Event): Run =>
  runOf(paramOf(event, 'id')) ??
  refuse(404, 'What was made ready is not there any more. Nothing was handed over; make the files once more.');
