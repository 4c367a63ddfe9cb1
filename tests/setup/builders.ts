// What the tests share: commands, folders, models, engines, tables, books.
export * from './book.ts';
export * from './cli.ts';
export * from './engine.ts';
export * from './folder.ts';
export * from './model.ts';
export * from './postgres.ts';
export * from './same.ts';
export * from './table.ts';
export * from './tables.ts';
