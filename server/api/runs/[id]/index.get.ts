import { defineEventHandler } from 'h3';
import { runOfRequest } from '../../../utils/runs';

/** How far a run has come. */
export default defineEventHandler((event) => runOfRequest(event));
