import type { Instrument } from '../instrument/instrument';
import type { BankFile } from './bankFile';

/** Adds a bank whose file is in memory: samples are decoded before a note needs them, as in a bounce. */
export function addWholeBank(instrument: Instrument, name: string, file: BankFile): void {
  const others = instrument.onWanted;
  instrument.onWanted = (bank, samples) => {
    if (bank === name) instrument.give(bank, file.sounds(samples));
    else others(bank, samples);
  };
  instrument.addBank(name, file.parts());
}
