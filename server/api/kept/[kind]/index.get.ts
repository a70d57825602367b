import { defineEventHandler } from 'h3';
import { readKept } from '../../../store/kept';
import { reading } from '../../../utils/data';
import { kindOf } from '../../../utils/kept';

/** Entries of a kind: recipes, feels, deliveries, presets or banks. */
export default defineEventHandler((event) => reading((db) => readKept(db, kindOf(event))));
