import type { Instrument } from '../instrument/instrument';
import type { BankFile } from './bankFile';

/** Adds a bank whose file is here: what a note needs is decoded before it sounds, as a bounce has it. */
export function addWholeBank(instrument: Instrument, name: string, file: BankFile): void {
  const others = instrument.onWanted;
  instrument.onWanted = (bank, samples) => {
    if (bank === name) instrument.give(bank, file.sounds(samples));
    else others(bank, samples);
  };
  instrument.addBank(name, file.parts());
}
