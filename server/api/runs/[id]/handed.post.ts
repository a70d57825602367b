import { defineEventHandler } from 'h3';
import { handOver } from '../../../handover/runs';
import { database } from '../../../utils/data';
import { paramOf } from '../../../utils/requests';
import { answered } from '../../../utils/runs';

/** Remembers that a run's files go out as the song's next version. */
export default defineEventHandler(async (event) => answered(handOver(await database(), paramOf(event, 'id'))));
