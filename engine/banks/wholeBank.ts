import type { Instrument } from '../instrument/instrument';
import type { BankFile } from './bankFile';

/** Adds a bank whose file is here: what a note needs is decoded before it sounds, as a bounce has it. */
export function addWholeBank(instrument: Instrument, name: string, file: BankFile): void {
  instrument.onWanted = (bank, samples) => {
    instrument.give(bank, file.sounds(samples));
  };
  instrument.addBank(name, file.parts());
}
