/** What the database holds as JSON text goes out as it is: nothing that large is read only to be written again. */
type Texts = Readonly<Record<string, string>>;

/** The fields of a JSON object whose values are JSON text already. */
export const asFields = (texts: Texts): string =>
  Object.entries(texts)
    .map(([key, text]) => `${JSON.stringify(key)}:${text}`)
    .join();

/** A JSON object whose values are JSON text already. */
export const asObject = (texts: Texts): string => `{${asFields(texts)}}`;
