import type { Seconds } from '../core/time/units';
import { soundedAt } from './timeStretch';
import { contextTime, type Anchor } from './transport/anchor';
import { anchorOf, type Span } from './transport/spans';

/** Range of some sound, at its place in the song. */
export interface TrackPiece {
  readonly sound: string;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Offset of its start in the sound. */
  readonly into: Seconds;
  /** Transposition in semitones. */
  readonly semitones: number;
  /** Crossfade before its start and before its end; 0 for none. */
  readonly edge: Seconds;
  /** True for mono sound that goes to both sides unchanged; otherwise it is panned, which lowers its level. */
  readonly toBothSides?: boolean;
}

/** Anchor and spans of the roll, for sound that is added to it. */
export interface Rolls {
  readonly anchor: Anchor;
  readonly spans: readonly Span[];
}

interface Sound {
  /** Decoded sound at the context's rate. */
  readonly buffer: AudioBuffer;
  /** Buffers at `speed`, by their transposition in semitones. */
  sounding: Map<number, AudioBuffer>;
  speed: number;
}

/** Transpositions needed, by sound. */
export type WantedPitches = ReadonlyMap<string, ReadonlySet<number>>;

interface Track {
  pieces: readonly TrackPiece[];
  readonly gain: GainNode;
  readonly pan: StereoPannerNode;
  readonly meter: AnalyserNode;
  /** Sources that sound or soon will, by piece and start of the span on the rolling clock. */
  readonly sources: Map<string, AudioBufferSourceNode>;
}

/** Crossfade from one lap to the next. */
const LAP_FADE: Seconds = 0.003;

/** Sound that plays with the song: backings, and recorded outside instruments. */
export class Tracks {
  readonly #context: AudioContext;
  readonly #output: AudioNode;
  readonly #sounds = new Map<string, Sound>();
  readonly #tracks = new Map<string, Track>();

  constructor(context: AudioContext, output: AudioNode) {
    this.#context = context;
    this.#output = output;
  }

  /** Decoded sound for the tracks. */
  addSound(id: string, buffer: AudioBuffer): void {
    this.#sounds.set(id, { buffer, sounding: new Map([[0, buffer]]), speed: 1 });
  }

  dropSound(id: string): void {
    this.#sounds.delete(id);
  }

  /** Decoded sound, for analysis. */
  bufferOf(id: string): AudioBuffer | undefined {
    return this.#sounds.get(id)?.buffer;
  }

  get soundIds(): string[] {
    return [...this.#sounds.keys()];
  }

  get ids(): string[] {
    return [...this.#tracks.keys()];
  }

  /** Sets the pieces of a track, while rolling from the spans that remain. Unchanged pieces sound on. */
  set(id: string, pieces: readonly TrackPiece[], rolls: Rolls | null): void {
    const track = this.#tracks.get(id) ?? this.#make(id);
    if (JSON.stringify(track.pieces) === JSON.stringify(pieces)) return;
    track.pieces = pieces;
    this.#silence(track);
    if (rolls) this.#startAll(track, rolls);
  }

  #make(id: string): Track {
    const gain = new GainNode(this.#context);
    const pan = new StereoPannerNode(this.#context);
    const meter = new AnalyserNode(this.#context, { fftSize: 2048 });
    gain.connect(pan).connect(this.#output);
    pan.connect(meter);
    const track: Track = { pieces: [], gain, pan, meter, sources: new Map() };
    this.#tracks.set(id, track);
    return track;
  }

  drop(id: string): void {
    const track = this.#tracks.get(id);
    if (!track) return;
    this.#silence(track);
    track.gain.disconnect();
    track.pan.disconnect();
    this.#tracks.delete(id);
  }

  /** Drops all sound before another song is opened. */
  clear(): void {
    for (const id of this.ids) this.drop(id);
    this.#sounds.clear();
  }

  setGain(id: string, gain: number, pan = 0): void {
    const track = this.#tracks.get(id);
    track?.gain.gain.setTargetAtTime(gain, this.#context.currentTime, 0.01);
    track?.pan.pan.setTargetAtTime(pan, this.#context.currentTime, 0.01);
  }

  /** Peak that a track has just sent out, 1 being full scale. */
  peakOf(id: string): number {
    const track = this.#tracks.get(id);
    if (!track?.sources.size) return 0;
    const samples = new Float32Array(track.meter.fftSize);
    track.meter.getFloatTimeDomainData(samples);
    return samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
  }

  /**
   * Gets all sound ready to run at a speed and at the pitches that are wanted or that tracks play. Takes a twentieth of
   * its length or so for each.
   * @param told hears how much of it is made, 0 to 1
   * @param isLate true once something else is wanted: then no more is made, and what was played before still is
   */
  async prepare(
    speed: number,
    wanted: WantedPitches,
    told: (done: number) => void,
    isLate: () => boolean,
  ): Promise<void> {
    const played = [...this.#tracks.values()].flatMap((track) => track.pieces);
    const all = [...this.#sounds].map(([id, sound]) => {
      const own = played.filter((piece) => piece.sound === id).map((piece) => piece.semitones);
      const pitches = new Set([...(wanted.get(id) ?? []), ...own]);
      return { sound, pitches: pitches.size > 0 ? [...pitches] : [0] };
    });
    const isThere = (sound: Sound, semitones: number): boolean =>
      (speed === 1 && semitones === 0) || (sound.speed === speed && sound.sounding.has(semitones));
    const of = all.flatMap(({ sound, pitches }) => pitches.filter((semitones) => !isThere(sound, semitones))).length;
    let made = 0;
    if (of > 0) told(0);
    for (const { sound, pitches } of all) {
      const sounding = new Map<number, AudioBuffer>();
      for (const semitones of pitches) {
        if (isLate()) return;
        const isNew = !isThere(sound, semitones);
        const there = sound.speed === speed ? sound.sounding.get(semitones) : undefined;
        sounding.set(semitones, there ?? (await soundedAt(sound.buffer, speed, semitones)));
        if (isNew) told((made += 1) / of);
      }
      sound.sounding = sounding;
      sound.speed = speed;
    }
  }

  /** Extends all tracks into coming spans. */
  rollOn(rolls: Rolls): void {
    for (const track of this.#tracks.values()) this.#startAll(track, rolls);
  }

  #startAll(track: Track, { anchor, spans }: Rolls): void {
    for (const span of spans)
      for (const piece of track.pieces)
        if (piece.to > span.from && piece.from < span.to) this.#start(track, piece, anchor, span);
  }

  /**
   * One piece in one span. Where laps meet, the one that ends gives way to the one that begins in the last few
   * milliseconds before the lap boundary: no gap, no click, and the first stroke of the lap is whole. So does one piece
   * to the next.
   */
  #start(track: Track, piece: TrackPiece, anchor: Anchor, span: Span): void {
    const key = `${span.at} ${piece.sound} ${piece.from}`;
    const sound = this.#sounds.get(piece.sound);
    const sounding = sound?.sounding.get(piece.semitones);
    if (!sounding || track.sources.has(key) || sound!.speed !== anchor.speed) return;
    const own = anchorOf(anchor, span);
    // Starts are on whole frames from the lap's start; fractional ones would be interpolated, which dulls the sound.
    const onFrame = (at: Seconds): Seconds => Math.round(at * this.#context.sampleRate) / this.#context.sampleRate;
    const from = Math.max(span.from, piece.from);
    const begins = onFrame(contextTime(own, from));
    const ends = onFrame(contextTime(own, Math.min(span.to, piece.to)));
    const into = onFrame((piece.into + from - piece.from) / anchor.speed);
    if (into >= sounding.duration || begins >= ends) return;
    // A lap fades in ahead of its start, over the sound before it.
    const lapFade = span.lap > 0 && span.from >= piece.from ? LAP_FADE : 0;
    const wanted = from === piece.from ? Math.max(piece.edge, lapFade) : lapFade;
    const fade = Math.max(0, onFrame(Math.min(wanted, into, begins - this.#context.currentTime)));
    const source = new AudioBufferSourceNode(this.#context, { buffer: sounding });
    const stereo = piece.toBothSides ? { channelCount: 2, channelCountMode: 'explicit' as const } : {};
    const edge = new GainNode(this.#context, stereo);
    source.connect(edge).connect(track.gain);
    if (fade > 0) edge.gain.setValueAtTime(0, begins - fade).linearRampToValueAtTime(1, begins);
    source.start(begins - fade, into - fade);
    if (ends < begins + sounding.duration - into) {
      const out = onFrame(span.to < piece.to ? LAP_FADE : Math.max(piece.edge, LAP_FADE));
      edge.gain.setValueAtTime(1, Math.max(begins, ends - out)).linearRampToValueAtTime(0, ends);
      source.stop(ends);
    }
    source.onended = () => {
      source.disconnect();
      edge.disconnect();
      if (track.sources.get(key) === source) track.sources.delete(key);
    };
    track.sources.set(key, source);
  }

  #silence(track: Track): void {
    for (const source of track.sources.values()) source.stop();
    track.sources.clear();
  }

  /** Stops all sources. */
  silence(): void {
    for (const track of this.#tracks.values()) this.#silence(track);
  }
}
