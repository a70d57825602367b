import type { Knex } from 'knex';
import { packEvents } from '../../core/takes/packed';
import type { LayerEvent } from '../../core/takes/layer';

/** Migrations in the order of their names. A released one is never changed. */
export const migrations: Readonly<Record<string, Knex.Migration>> = {
  '001 jobs, songs, layers, audio, devices': {
    async up(db) {
      await db.schema.createTable('jobs', (t) => {
        t.string('id').primary();
        t.string('title').notNullable();
        t.string('client').notNullable();
        t.string('due');
        t.string('created_at').notNullable();
      });
      await db.schema.createTable('songs', (t) => {
        t.string('id').primary();
        t.string('job_id').notNullable().references('jobs.id');
        t.integer('position').notNullable();
        t.integer('revision').notNullable();
        t.text('document').notNullable();
      });
      await db.schema.createTable('song_changes', (t) => {
        t.string('song_id').notNullable().references('songs.id');
        t.integer('revision').notNullable();
        t.string('kind').notNullable();
        t.string('name').notNullable();
        t.text('patches').notNullable();
        t.text('inverse').notNullable();
        t.string('made_at').notNullable();
        t.primary(['song_id', 'revision']);
      });
      await db.schema.createTable('layers', (t) => {
        t.string('id').primary();
        t.string('song_id').notNullable().references('songs.id').index();
        t.text('header').notNullable();
        t.text('mode').notNullable();
        t.text('closing');
      });
      await db.schema.createTable('layer_chunks', (t) => {
        t.string('layer_id').notNullable().references('layers.id');
        t.integer('sequence').notNullable();
        t.text('events').notNullable();
        t.primary(['layer_id', 'sequence']);
      });
      await db.schema.createTable('audio', (t) => {
        t.string('hash').primary();
        t.integer('bytes').notNullable();
        t.string('type').notNullable();
      });
      await db.schema.createTable('devices', (t) => {
        t.string('id').primary();
        t.text('settings').notNullable();
      });
    },
    async down(db) {
      for (const table of ['devices', 'audio', 'layer_chunks', 'layers', 'song_changes', 'songs', 'jobs']) {
        await db.schema.dropTable(table);
      }
    },
  },
  '002 notes, put away and deleted': {
    async up(db) {
      await db.schema.alterTable('jobs', (t) => {
        t.text('notes').notNullable().defaultTo('');
        t.string('away_at');
        t.string('deleted_at');
      });
      await db.schema.alterTable('songs', (t) => {
        t.string('away_at');
        t.string('deleted_at');
      });
    },
    async down(db) {
      await db.schema.alterTable('jobs', (t) => t.dropColumns('notes', 'away_at', 'deleted_at'));
      await db.schema.alterTable('songs', (t) => t.dropColumns('away_at', 'deleted_at'));
    },
  },
  '003 latency figures': {
    async up(db) {
      await db.schema.createTable('latency', (t) => {
        t.string('id').primary();
        t.text('figures').notNullable();
      });
    },
    async down(db) {
      await db.schema.dropTable('latency');
    },
  },
  '004 presets of the brief': {
    async up(db) {
      await db.schema.createTable('presets', (t) => {
        t.string('name').primary();
        t.text('brief').notNullable();
      });
    },
    async down(db) {
      await db.schema.dropTable('presets');
    },
  },
  '005 changes by id, layers by browser': {
    async up(db) {
      await db.schema.alterTable('song_changes', (t) => {
        t.string('change_id');
        t.unique(['song_id', 'change_id']);
      });
      await db.schema.alterTable('layers', (t) => {
        t.string('fed_by');
        t.integer('fed_at');
      });
    },
    async down(db) {
      await db.schema.alterTable('song_changes', (t) => {
        t.dropUnique(['song_id', 'change_id']);
        t.dropColumns('change_id');
      });
      await db.schema.alterTable('layers', (t) => t.dropColumns('fed_by', 'fed_at'));
    },
  },
  '006 songs as the Desk shows them': {
    async up(db) {
      await db.schema.createTable('song_summaries', (t) => {
        t.string('song_id').primary().references('songs.id');
        t.integer('revision').notNullable();
        t.text('summary').notNullable();
      });
    },
    async down(db) {
      await db.schema.dropTable('song_summaries');
    },
  },
  '007 closed layers packed': {
    async up(db) {
      await db.schema.alterTable('layers', (t) => {
        t.binary('packed');
        t.boolean('taken').notNullable().defaultTo(false);
      });
      const closed: { id: string }[] = await db('layers').whereNotNull('closing').select('id');
      for (const { id } of closed) {
        const chunks: { events: string }[] = await db('layer_chunks').where({ layer_id: id }).orderBy('sequence');
        const events = chunks.flatMap((c) => JSON.parse(c.events) as LayerEvent[]);
        await db('layers')
          .where({ id })
          .update({ packed: Buffer.from(packEvents(events)) });
      }
    },
    async down(db) {
      await db.schema.alterTable('layers', (t) => t.dropColumns('packed', 'taken'));
    },
  },
  '008 recipes and feels by name': {
    async up(db) {
      await db.schema.createTable('kept', (t) => {
        t.string('kind').notNullable();
        t.string('name').notNullable();
        t.text('value').notNullable();
        t.primary(['kind', 'name']);
      });
    },
    async down(db) {
      await db.schema.dropTable('kept');
    },
  },
  '009 deliveries and versions': {
    async up(db) {
      await db.schema.alterTable('jobs', (t) => {
        t.text('delivery');
      });
      await db.schema.createTable('versions', (t) => {
        t.string('song_id').notNullable().references('songs.id');
        t.integer('number').notNullable();
        t.string('at').notNullable();
        t.text('document').notNullable();
        t.text('facts').notNullable();
        t.primary(['song_id', 'number']);
      });
    },
    async down(db) {
      await db.schema.dropTable('versions');
      await db.schema.alterTable('jobs', (t) => t.dropColumns('delivery'));
    },
  },
  '010 recordings of outside instruments': {
    async up(db) {
      await db.schema.createTable('recordings', (t) => {
        t.string('id').primary();
        t.string('song_id').notNullable().references('songs.id').index();
        t.text('facts').notNullable();
        t.string('opened_at').notNullable();
        t.string('fed_by');
        t.integer('fed_at');
        t.integer('first');
        t.integer('frames');
        t.string('audio');
        t.boolean('closed').notNullable().defaultTo(false);
      });
      await db.schema.createTable('recording_pieces', (t) => {
        t.string('recording_id').notNullable().references('recordings.id');
        t.integer('sequence').notNullable();
        t.integer('frame').notNullable();
        t.integer('frames').notNullable();
        t.string('sum').notNullable();
        t.primary(['recording_id', 'sequence']);
      });
    },
    async down(db) {
      await db.schema.dropTable('recording_pieces');
      await db.schema.dropTable('recordings');
    },
  },
  '011 presets beside what else is kept by name': {
    async up(db) {
      const presets: { name: string; brief: string }[] = await db('presets');
      for (const { name, brief } of presets) await db('kept').insert({ kind: 'presets', name, value: brief });
      await db.schema.dropTable('presets');
    },
    async down(db) {
      await db.schema.createTable('presets', (t) => {
        t.string('name').primary();
        t.text('brief').notNullable();
      });
      const kept: { name: string; value: string }[] = await db('kept').where({ kind: 'presets' });
      for (const { name, value } of kept) await db('presets').insert({ name, brief: value });
      await db('kept').where({ kind: 'presets' }).delete();
    },
  },
  '012 the last piece of a recording': {
    async up(db) {
      await db.schema.alterTable('recordings', (t) => {
        t.integer('last_piece');
      });
      // The running server remembers when data came last.
      for (const table of ['layers', 'recordings']) await db.raw('alter table ?? drop column fed_at', [table]);
    },
    async down(db) {
      for (const table of ['layers', 'recordings']) await db.raw('alter table ?? add column fed_at integer', [table]);
      await db.raw('alter table recordings drop column last_piece');
    },
  },
};
