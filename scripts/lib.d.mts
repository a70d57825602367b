import type { ChildProcess } from 'node:child_process';

export declare const ROOT: string;
export declare function build(): number;
export declare function fillDemo(folder: string): number;
export declare function freePort(): Promise<number>;
export declare function serve(
  folder: string,
  port: number,
  options?: { stdio?: string },
): Promise<{ child: ChildProcess; address: string }>;
