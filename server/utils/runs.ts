import type { H3Event } from 'h3';
import { runOf, type Run } from '../handover/runs';
import { NothingToMake } from '../handover/source';
import { paramOf, refuse } from './requests';

/** Answer of a run's part, or its refusal with the reason. */
export const answered = <T>(work: Promise<T>): Promise<T> =>
  work.catch((error: unknown) => {
    if (error instanceof NothingToMake) return refuse(error.status, error.message);
    throw error;
  });

/** The run that a request is about. Answers 404 for one that is not there any more. */
export const runOfRequest = (event: H3Event): Run =>
  runOf(paramOf(event, 'id')) ??
  refuse(404, 'What was made ready is not there any more. Nothing was handed over; make the files once more.');
