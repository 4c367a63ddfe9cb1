import { beforeEach } from 'vitest';
import { clusterUrl } from './cluster.ts';

beforeEach(({ skip }) => {
  if (clusterUrl === undefined) skip('there is no cluster');
});
