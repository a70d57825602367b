import { expose } from 'comlink';
import { STARTED } from '~/workers/started';
import { Keeper } from './keeper';

expose(new Keeper());
postMessage(STARTED);
