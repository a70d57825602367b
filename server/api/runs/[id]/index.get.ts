import { defineEventHandler } from 'h3';
import { runOfRequest } from '../../../utils/runs';

/** Progress of a run. */
export default defineEventHandler((event) => runOfRequest(event));
