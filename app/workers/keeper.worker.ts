import { expose } from 'comlink';
import { Keeper } from '~/keeping/keeper';

expose(new Keeper());
