import { expose } from 'comlink';
import { Keeper } from './keeper';

expose(new Keeper());
