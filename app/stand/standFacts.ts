import { defineStore } from 'pinia';
import { computed } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import { writtenIn } from '~~/core/client/writtenPart';
import { shortBrief } from '~~/core/recording/brief';
import { previewOf } from '~~/core/recording/passPreview';
import { barStart } from '~~/core/time/meter';
import type { TickRange } from '~~/core/time/units';
import { many } from '~~/core/vocabulary/many';
import { layoutChart } from '~/chart/chartLayout';
import { useKeyboards } from '~/keyboards/keyboards';
import { useNotices } from '~/notices/notices';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSheet, type ShownSheet } from '~/sheet/sheet';
import { useSong } from '~/song/song';
import { useBriefSentence } from '~/transport/briefSentence';
import { usePass } from '~/transport/pass';
import { usePassWords, type Lamp } from '~/transport/passWords';
import { usePlace } from '~/transport/place';
import { useRoll } from '~/transport/roll';

export interface StandBar {
  readonly bar: number;
  /** Role of the bar in the pass: recorded, lead-in, or neither. */
  readonly is: 'recorded' | 'lead-in' | 'plain';
  /** Rehearsal letter, chord symbols and words of the bar; empty where nothing is written. */
  readonly written: string;
}

/** Values that the stand shows. They are plain, so that they can be sent to another window. */
export interface StandFacts {
  readonly title: string;
  readonly section: string;
  /** Words for the section that follows; empty at the end of the song. */
  readonly next: string;
  readonly bar: number;
  readonly beat: number;
  readonly lamp: Lamp;
  readonly count: number;
  readonly state: string;
  readonly below: string;
  /** The row that plays and the next one. */
  readonly rows: readonly (readonly StandBar[])[];
  readonly brief: string;
  /** Number of takes in the range that a pass would record. */
  readonly takes: string;
  /** Words for what needs attention; empty where nothing does. */
  readonly notice: string;
  /** Keys that are down while keys are commands; null at other times. */
  readonly commands: readonly number[] | null;
  /** Page of the client's that is open; null for a song without pages. */
  readonly sheet: ShownSheet | null;
}

/** Room for the rows in the chart's layout, which only decides how many bars a row has. */
const ROOM = { width: 1200, height: 800 };

/** Facts of the open song that the stand shows; null without a song. */
export const useStandFacts = defineStore('stand facts', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const keyboards = useKeyboards();
  const notices = useNotices();
  const pass = usePass();
  const roll = useRoll();
  const place = usePlace();
  const said = usePassWords();
  const sentence = useBriefSentence();
  const sheet = useSheet();

  const sections = computed(() => (reading.maps ? sectionsOf(openSong.document, reading.maps.meter) : []));
  const rows = computed(() =>
    reading.maps ? layoutChart(sections.value, reading.maps.meter, ROOM.width, ROOM.height).rows : [],
  );
  /** Range that a pass records or would record, and its lead-ins. */
  const ranges = computed((): { recorded: TickRange | null; leads: readonly TickRange[] } => {
    if (!reading.maps) return { recorded: null, leads: [] };
    const { plan } = pass;
    if (plan) return { recorded: plan.range, leads: [{ from: plan.music, to: plan.range.from }] };
    const { planned, around } = previewOf(
      openSong.document,
      reading.maps,
      openSong.document.brief.part ?? undefined,
      roll.playhead,
    );
    return { recorded: planned, leads: around };
  });
  const takes = computed(() => {
    const over = sentence.range;
    const part = song.document?.parts.find((p) => p.id === openSong.document.brief.part);
    if (!over || !part) return '';
    const count = part.takes.filter((t) => t.from < over.to && t.to > over.from).length;
    return many(count, 'take');
  });

  function standBar(bar: number): StandBar {
    const { meter } = openSong.maps;
    const [from, to] = [barStart(meter, bar), barStart(meter, bar + 1)];
    const meets = (range: TickRange | null): boolean => range !== null && range.from < to && range.to > from;
    const written = writtenIn(reading.written, bar);
    if (meets(ranges.value.recorded)) return { bar, written, is: 'recorded' };
    return { bar, written, is: ranges.value.leads.some(meets) ? 'lead-in' : 'plain' };
  }

  return {
    now: computed((): StandFacts | null => {
      const at = place.now;
      if (!song.document || !reading.maps || !at) return null;
      const here = rows.value.findIndex((r) => r.firstBar <= at.bar && at.bar <= r.lastBar);
      const section = sections.value.findIndex((s) => s.firstBar <= at.bar && at.bar <= s.lastBar);
      const after = sections.value[section + 1];
      return {
        title: song.document.title,
        section: sections.value[section]?.name || song.document.title,
        next: after ? `then ${after.name || 'on'}, from bar ${after.firstBar}` : 'then the end',
        bar: at.bar,
        beat: at.beat,
        lamp: said.lamp,
        count: place.left,
        state: said.words.state,
        below: said.words.below,
        rows: rows.value
          .slice(Math.max(0, here), Math.max(0, here) + 2)
          .map((r) => Array.from({ length: r.lastBar - r.firstBar + 1 }, (_, i) => standBar(r.firstBar + i))),
        brief: shortBrief(sentence.phrases),
        takes: takes.value,
        notice: notices.list.findLast((n) => n.kind === 'attention')?.text ?? '',
        commands: keyboards.commanding.size ? [...keyboards.held] : null,
        sheet: sheet.both,
      };
    }),
  };
});
