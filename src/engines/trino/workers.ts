// Which workers of a cluster did the work of some statements.
import { statement } from './client.ts';
import { trinoDialect } from './dialect.ts';
import { connectionOf, type TrinoOptions } from './options.ts';

/** What one worker did. */
export interface WorkerShare {
  readonly worker: string;
  readonly splits: number;
  /** Bytes read of tables. */
  readonly bytes: number;
  /** Milliseconds of computing. */
  readonly cpu: number;
}

/** What each worker did of some statements, as long as the cluster remembers them; the name of a worker is its own. */
export const workersOf = async (options: TrinoOptions, ids: readonly string[]): Promise<readonly WorkerShare[]> => {
  if (ids.length === 0) return [];
  const { rows } = await statement(
    connectionOf(options),
    `select node_id, cast(sum(splits) as bigint), cast(sum(physical_input_bytes) as bigint), cast(sum(split_cpu_time_ms) as bigint)
from system.runtime.tasks where query_id in (${ids.map(trinoDialect.text).join(', ')}) group by 1 order by 1`,
    undefined,
  );
  return rows.map(([worker, splits, bytes, cpu]) => ({
    worker: String(worker),
    splits: Number(splits),
    bytes: Number(bytes),
    cpu: Number(cpu),
  }));
};
