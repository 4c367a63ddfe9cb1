// Refuses Parquet files whose pages claim more values than there are rows: their reader would make room for all of them.
import type { parquetMetadataAsync } from 'hyparquet';
import { parquetHeader } from 'hyparquet/src/column.js';

type Metadata = Awaited<ReturnType<typeof parquetMetadataAsync>>;
type Header = ReturnType<typeof parquetHeader>;
type Chunk = NonNullable<Metadata['row_groups'][number]['columns'][number]['meta_data']>;
type Unpack = (packed: Uint8Array, size: number) => Uint8Array;

const viewOf = ({ buffer, byteOffset, byteLength }: Uint8Array): DataView => new DataView(buffer, byteOffset, byteLength);

/** Checks values in runs of equal ones and packed ones, of `width` bits each, from a byte to the end. */
const checkRuns = (view: DataView, from: number, end: number, width: number, values: number): void => {
  let at = from;
  const readNumber = (): number => {
    for (let [number, factor] = [0, 1]; ; factor *= 128) {
      const byte = view.getUint8(at++);
      number += (byte & 127) * factor;
      if (byte < 128) return number;
      if (factor > 2 ** 28) throw new Error('a run of values has no length');
    }
  };
  for (let seen = 0; seen < values && at < end; ) {
    const header = readNumber();
    const isPacked = header % 2 === 1;
    const count = Math.floor(header / 2) * (isPacked ? 8 : 1);
    if (count === 0 || (!isPacked && count > values - seen)) throw new Error('a run of values is longer than its page');
    at += isPacked ? (count / 8) * width : Math.ceil(width / 8);
    seen += count;
  }
};

/** Places in a dictionary: the bits of each, then their runs. */
const checkPlaces = (view: DataView, at: number, encoding: string | undefined, values: number): void => {
  if (!/^(RLE|PLAIN)_DICTIONARY$/.test(encoding ?? '') || at >= view.byteLength) return;
  const width = view.getUint8(at);
  if (width > 0) checkRuns(view, at + 1, view.byteLength, width, values);
};

const checkPage = (bytes: Uint8Array, header: Header, isOptional: boolean, unpack: Unpack): void => {
  const { data_page_header: page, data_page_header_v2: page2, uncompressed_page_size: size } = header;
  if (page) {
    const view = viewOf(unpack(bytes, size));
    const levels = isOptional ? 4 + view.getUint32(0, true) : 0;
    if (isOptional) checkRuns(view, 4, Math.min(levels, view.byteLength), 1, page.num_values);
    checkPlaces(view, levels, page.encoding, page.num_values);
  } else if (page2) {
    const { repetition_levels_byte_length: from, definition_levels_byte_length: length, num_values: values } = page2;
    if (isOptional && length > 0) checkRuns(viewOf(bytes), from, Math.min(from + length, bytes.byteLength), 1, values);
    const rest = bytes.subarray(from + length);
    checkPlaces(viewOf(page2.is_compressed ? unpack(rest, size - from - length) : rest), 0, page2.encoding, values);
  }
};

const checkChunk = (bytes: Uint8Array, chunk: Chunk, isOptional: boolean, unpack: Unpack): void => {
  const [name] = chunk.path_in_schema;
  const most = Number(chunk.num_values);
  const start = Number(chunk.dictionary_page_offset || chunk.data_page_offset);
  const reader = { view: new DataView(bytes.buffer, bytes.byteOffset + start, Number(chunk.total_compressed_size)), offset: 0 };
  while (reader.offset < reader.view.byteLength - 1) {
    const header = parquetHeader(reader);
    const { data_page_header: page, data_page_header_v2: page2, dictionary_page_header: dictionary, compressed_page_size: size } = header;
    const values = (page ?? page2)?.num_values ?? 0;
    if (values > most || (dictionary?.num_values ?? 0) > 8 * header.uncompressed_page_size)
      throw new Error(`a page of ${name} has more values than its column`);
    if (!(size > 0)) throw new Error(`a page of ${name} has no size`);
    checkPage(new Uint8Array(reader.view.buffer, reader.view.byteOffset + reader.offset, size), header, isOptional, unpack);
    reader.offset += size;
  }
};

/** Checks the columns without lists; `unpack` is asked for what is packed by a codec. */
export const checkPages = (
  bytes: Uint8Array,
  { row_groups: groups, num_rows: rows, schema }: Metadata,
  columns: ReadonlySet<string>,
  unpack: (codec: string, packed: Uint8Array, size: number) => Uint8Array,
): void => {
  const optional = new Set(schema.filter((element) => element.repetition_type === 'OPTIONAL').map(({ name }) => name));
  for (const { columns: chunks, num_rows: own } of groups) {
    if (own > rows) throw new Error('a group has more rows than the file');
    for (const { meta_data: chunk } of chunks) {
      const name = chunk?.path_in_schema[0] ?? '';
      if (!chunk || !columns.has(name)) continue;
      if (chunk.num_values > own) throw new Error(`${name} has more values than rows`);
      const { codec } = chunk;
      checkChunk(bytes, chunk, optional.has(name), (packed, size) => (codec === 'UNCOMPRESSED' ? packed : unpack(codec, packed, size)));
    }
  }
};
