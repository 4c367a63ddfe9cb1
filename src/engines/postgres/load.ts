// The package that speaks to PostgreSQL.
import { DurchblickError } from '../../errors.ts';

export const loadPg = async (): Promise<typeof import('pg')> => {
  try {
    const module = await import('pg');
    return (module.default ?? module) as typeof import('pg');
  } catch (error) {
    throw new DurchblickError('no-package', 'the postgres engine needs pg', {
      kind: 'engine',
      hint: `Install it: npm install pg. (${(error as Error).message.split('\n')[0]})`,
    });
  }
};
