export function notice(): string;
