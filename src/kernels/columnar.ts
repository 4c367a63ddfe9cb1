/** A column ready for a columnar file format, blanks as null. */
export interface WrittenColumn {
  readonly name: string;
  /** `date` holds day numbers (D1). */
  readonly type: 'date' | 'integer' | 'boolean' | 'text' | 'number';
  readonly values: readonly (string | number | boolean | null)[];
}
