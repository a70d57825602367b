import type { Seconds } from '../core/time/units';
import { soundedAt } from './timeStretch';
import { contextTime, type Anchor } from './transport/anchor';
import { anchorOf, type Span } from './transport/spans';

/** Range of some sound with its place in the song. */
export interface TrackPiece {
  readonly sound: string;
  readonly from: Seconds;
  readonly to: Seconds;
  /** Distance of its start into the sound. */
  readonly into: Seconds;
  /** Semitones that it sounds higher than the sound is. */
  readonly semitones: number;
  /** Time that it takes to come in ahead of its start, and to go before its end; 0 for one that is heard as it is. */
  readonly edge: Seconds;
  /** Mono sound goes to both sides as it is; otherwise it is spread as a panned sound is. */
  readonly toBothSides?: boolean;
}

/** Anchor and spans of what rolls, for sound that is put into it. */
export interface Rolls {
  readonly anchor: Anchor;
  readonly spans: readonly Span[];
}

interface Sound {
  /** As decoded, at the context's rate. */
  readonly buffer: AudioBuffer;
  /** The buffer as it sounds at `speed`, by the semitones that it is transposed by. */
  sounding: Map<number, AudioBuffer>;
  speed: number;
}

/** Semitones by which sounds are wanted, by sound. */
export type WantedPitches = ReadonlyMap<string, ReadonlySet<number>>;

interface Track {
  pieces: readonly TrackPiece[];
  readonly gain: GainNode;
  readonly pan: StereoPannerNode;
  readonly meter: AnalyserNode;
  /** Sources that sound or are about to, by piece and by where on the rolling clock its span begins. */
  readonly sources: Map<string, AudioBufferSourceNode>;
}

/** Time that a lap takes to give way to the next. */
const SEAM_FADE: Seconds = 0.003;

/** Sound that plays with the song: backings, and what was recorded of instruments outside. */
export class Tracks {
  readonly #context: AudioContext;
  readonly #output: AudioNode;
  readonly #sounds = new Map<string, Sound>();
  readonly #tracks = new Map<string, Track>();

  constructor(context: AudioContext, output: AudioNode) {
    this.#context = context;
    this.#output = output;
  }

  /** Decoded sound, for tracks to play. */
  addSound(id: string, buffer: AudioBuffer): void {
    this.#sounds.set(id, { buffer, sounding: new Map([[0, buffer]]), speed: 1 });
  }

  dropSound(id: string): void {
    this.#sounds.delete(id);
  }

  /** Sound as decoded, for those who look into it. */
  bufferOf(id: string): AudioBuffer | undefined {
    return this.#sounds.get(id)?.buffer;
  }

  get soundIds(): string[] {
    return [...this.#sounds.keys()];
  }

  get ids(): string[] {
    return [...this.#tracks.keys()];
  }

  /** Sets what a track plays. While rolling it is heard in the spans from here on; the same again changes nothing. */
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

  /** Lets go of everything: another song is opened. */
  clear(): void {
    for (const id of this.ids) this.drop(id);
    this.#sounds.clear();
  }

  setGain(id: string, gain: number, pan = 0): void {
    const track = this.#tracks.get(id);
    track?.gain.gain.setTargetAtTime(gain, this.#context.currentTime, 0.01);
    track?.pan.pan.setTargetAtTime(pan, this.#context.currentTime, 0.01);
  }

  /** The loudest sample a track has just sent out, 1 being full scale. */
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

  /** Lets all tracks go on into spans that are still to come. */
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
    // On whole frames, from where each lap lies: between frames the browser would interpolate, and dull the sound.
    const onFrame = (at: Seconds): Seconds => Math.round(at * this.#context.sampleRate) / this.#context.sampleRate;
    const from = Math.max(span.from, piece.from);
    const begins = onFrame(contextTime(own, from));
    const ends = onFrame(contextTime(own, Math.min(span.to, piece.to)));
    const into = onFrame((piece.into + from - piece.from) / anchor.speed);
    if (into >= sounding.duration || begins >= ends) return;
    // A lap fades in ahead of its own start, over what lies before it in the sound.
    const seam = span.lap > 0 && span.from >= piece.from ? SEAM_FADE : 0;
    const wanted = from === piece.from ? Math.max(piece.edge, seam) : seam;
    const fade = Math.max(0, onFrame(Math.min(wanted, into, begins - this.#context.currentTime)));
    const source = new AudioBufferSourceNode(this.#context, { buffer: sounding });
    const stereo = piece.toBothSides ? { channelCount: 2, channelCountMode: 'explicit' as const } : {};
    const edge = new GainNode(this.#context, stereo);
    source.connect(edge).connect(track.gain);
    if (fade > 0) edge.gain.setValueAtTime(0, begins - fade).linearRampToValueAtTime(1, begins);
    source.start(begins - fade, into - fade);
    if (ends < begins + sounding.duration - into) {
      const out = onFrame(span.to < piece.to ? SEAM_FADE : Math.max(piece.edge, SEAM_FADE));
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

  /** Stops what sounds. */
  silence(): void {
    for (const track of this.#tracks.values()) this.#silence(track);
  }
}
