import { defineEventHandler } from 'h3';
import { readLatency } from '../../store/latency';
import { reading } from '../../utils/data';

/** The latency figures of every set-up. */
export default defineEventHandler(() => reading(readLatency));
