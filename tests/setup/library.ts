// What tests use of the library that users import, so that a moved module is a change here alone.
export { type ChartOptions, chartSpec, renderChart, renderSvg } from '../../src/chart/index.ts';
export { duckdb } from '../../src/engines/duckdb/index.ts';
export { withTyped } from '../../src/engines/duckdb/typed-files.ts';
export { memory, type TableInput } from '../../src/engines/memory/index.ts';
export { postgres } from '../../src/engines/postgres/index.ts';
export { type StatementRun, trino, workersOf } from '../../src/engines/trino/index.ts';
export { folderFiles, loadModel } from '../../src/files/node.ts';
export { parseModel, readModel } from '../../src/files/yaml.ts';
export { report } from '../../src/report/index.ts';
