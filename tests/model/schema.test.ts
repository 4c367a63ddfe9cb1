import { readFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { expect, test } from 'vitest';
import { parse } from 'yaml';
import { modelJsonSchema, SCHEMA_FILE } from '../../scripts/schema.ts';
import { ROOT } from '../setup/builders.ts';

const published = readFileSync(SCHEMA_FILE, 'utf8');
const valid = new Ajv2020({ allowUnionTypes: true, allErrors: true }).compile(JSON.parse(published));
const demo = (): Record<string, never> => parse(readFileSync(`${ROOT}demo/model.yaml`, 'utf8'));

test('the published schema is that of the code, and the demo model points to it', () => {
  expect(published).toBe(modelJsonSchema());
  expect(readFileSync(`${ROOT}demo/model.yaml`, 'utf8')).toMatch(/^# yaml-language-server: \$schema=model\.schema\.json\n/);
  expect(JSON.parse(readFileSync(`${ROOT}package.json`, 'utf8')).exports['./model.schema.json']).toBe('./demo/model.schema.json');
});

test('the demo model keeps to the schema', () => {
  expect(valid(demo()), JSON.stringify(valid.errors)).toBe(true);
});

test.each<[string, (model: Record<string, never>) => unknown]>([
  ['an unknown key', (model) => ({ ...model, tables: {} })],
  [
    'an unknown key of a measure',
    ({ facts, ...model }) => ({ ...model, facts: { f: { source: 's', dates: {}, measures: { m: { summ: 'a' } } } } }),
  ],
  ['a wrong choice', (model) => ({ ...model, comparisons: { c: { shift: '-P1Y', match: 'part' } } })],
  ['a wrong type', (model) => ({ ...model, windows: { w: { is: 'P1D/anchor', full: 'yes' } } })],
])('the schema refuses %s', (_, spoil) => {
  expect(valid(spoil(demo()))).toBe(false);
});
