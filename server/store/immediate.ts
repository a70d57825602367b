import type { Knex } from 'knex';

/** What is used here of Knex's client and its transactions, which it has no types for. */
interface Beginning {
  begin: (connection: unknown) => Promise<unknown>;
  query: (connection: unknown, sql: string) => Promise<unknown>;
}
interface TransactionClient {
  transaction: (...args: unknown[]) => Beginning;
}

/**
 * Lets every transaction begin as a write. One that begins by reading and writes later can find that another writer
 * came between, and then fails at once, however long it would have waited.
 */
export function beginImmediately(database: Knex): void {
  const client = database.client as TransactionClient;
  const make = client.transaction.bind(client);
  client.transaction = (...args) => {
    const made = make(...args);
    made.begin = (connection) => made.query(connection, 'BEGIN IMMEDIATE;');
    return made;
  };
}
