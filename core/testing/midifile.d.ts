/** Types for the few functions that tests use, as the package has none. */
declare module 'midifile' {
  interface OtherEvent {
    readonly subtype: number;
    /** Type of a channel message: 8 to 14. */
    readonly type: number;
    /** In milliseconds. */
    readonly playTime?: number;
    readonly delta: number;
    readonly channel?: number;
    readonly param1: number;
    readonly param2: number;
    readonly data?: readonly number[];
    readonly tempo?: number;
    readonly key?: number;
    readonly scale?: number;
  }
  export default class MIDIFile {
    constructor(bytes: ArrayBuffer);
    readonly header: { getFormat(): number; getTracksCount(): number; getTicksPerBeat(): number };
    getMidiEvents(): OtherEvent[];
    getTrackEvents(track: number): OtherEvent[];
  }
}
