/** Whether no name stands in a list twice: what is kept by name is found by it. */
export const eachNamedOnce = (list: readonly { readonly name: string }[]): boolean =>
  new Set(list.map(({ name }) => name)).size === list.length;
export const NAMED_TWICE = 'two of them have one name';
