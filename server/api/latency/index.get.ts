import { defineEventHandler } from 'h3';
import { readLatency } from '../../store/latency';
import { database } from '../../utils/data';

/** The latency figures of every set-up. */
export default defineEventHandler(async () => readLatency(await database()));
