import { defineEventHandler } from 'h3';
import { readKept } from '../../../store/kept';
import { reading } from '../../../utils/data';
import { kindOf } from '../../../utils/kept';

/** List of what is kept by name: recipes, feels, deliveries or presets. */
export default defineEventHandler((event) => reading((db) => readKept(db, kindOf(event))));
