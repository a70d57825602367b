import { defineEventHandler } from 'h3';
import { readLatency } from '../../store/latency';
import { reading } from '../../utils/data';

/** Latencies of all set-ups. */
export default defineEventHandler(() => reading(readLatency));
