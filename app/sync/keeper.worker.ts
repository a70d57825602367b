import { expose } from 'comlink';
import { STARTED } from '~/workers/startedMessage';
import { Keeper } from './keeper';

expose(new Keeper());
postMessage(STARTED);
