import { beforeEach } from 'vitest';
import { clusterUrl } from './cluster.ts';

const url = await clusterUrl();
beforeEach(({ skip }) => {
  if (url === undefined) skip('there is no cluster');
});
