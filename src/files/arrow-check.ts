// What an Arrow file says of its own sizes, held against its bytes before a library believes it.
import { DurchblickError } from '../errors.ts';
import { checkFlat, type FlatTable, type Slot } from './flat.ts';
import { unpackLz4 } from './lz4.ts';

type Arrow = typeof import('apache-arrow');

const FILE_MAGIC = 'ARROW1';
const STREAM_START = 8;
/** No table has more rows than this without bytes that say so. */
const ROWS_WITHOUT_BYTES = 1_000_000;
const MOST_BYTES = 2 ** 31 - 2 ** 20;
const UNCOMPRESSED = -1n;

interface Batch {
  readonly length: number;
  readonly nodes: readonly { readonly length: number; readonly nullCount: number }[];
  readonly buffers: readonly { readonly offset: number; readonly length: number }[];
  readonly compression: unknown;
}
interface Message {
  readonly bodyLength: number;
  readonly isSchema: () => boolean;
  readonly isRecordBatch: () => boolean;
  readonly isDictionaryBatch: () => boolean;
  readonly header: () => unknown;
}

const TEXT: Slot = { is: 'list', bytes: 1 };
const PAIR: FlatTable = { 0: TEXT, 1: TEXT };
const PAIRS: Slot = { is: 'tables', of: () => PAIR };
/** Kinds of types that hold more than plain values: timestamps a time zone, unions the numbers of their parts. */
const TYPES: Readonly<Record<number, () => FlatTable>> = { 10: () => ({ 1: TEXT }), 14: () => ({ 1: { is: 'list', bytes: 4 } }) };
const FIELD: FlatTable = {
  0: TEXT,
  3: { is: 'one-of', kind: 2, of: TYPES },
  4: { is: 'table', of: () => ({ 1: { is: 'table', of: () => ({}) } }) },
  5: { is: 'tables', of: () => FIELD },
  6: PAIRS,
};
const SCHEMA: FlatTable = { 1: { is: 'tables', of: () => FIELD }, 2: PAIRS, 3: { is: 'list', bytes: 8 } };
const RECORDS: FlatTable = {
  1: { is: 'list', bytes: 16 },
  2: { is: 'list', bytes: 16 },
  3: { is: 'table', of: () => ({}) },
  4: { is: 'list', bytes: 8 },
};
const DICTIONARY: FlatTable = { 1: { is: 'table', of: () => RECORDS } };
const MESSAGE: FlatTable = { 2: { is: 'one-of', kind: 1, of: { 1: () => SCHEMA, 2: () => DICTIONARY, 3: () => RECORDS } }, 4: PAIRS };
const BODY_LENGTH = 3;
const FOOTER: FlatTable = {
  1: { is: 'table', of: () => SCHEMA },
  2: { is: 'list', bytes: 24 },
  3: { is: 'list', bytes: 24 },
  4: PAIRS,
};

const fail = (what: string): never => {
  throw new Error(`it is damaged (${what})`);
};

/** Bytes that a batch's buffers hold when they are unpacked. */
const unpackedSize = ({ buffers, compression }: Batch, body: Uint8Array): number => {
  const view = new DataView(body.buffer, body.byteOffset, body.byteLength);
  let size = 0;
  for (const { offset, length } of buffers) {
    if (!(offset >= 0 && length >= 0 && offset + length <= body.length)) fail('a buffer lies outside of its batch');
    if (!compression || length === 0) {
      size += length;
      continue;
    }
    if (length < 8) fail('a packed buffer is cut off');
    const unpacked = view.getBigInt64(offset, true);
    if (unpacked !== UNCOMPRESSED && (unpacked < 0n || unpacked > BigInt(MOST_BYTES))) fail('a packed buffer has no size');
    size += unpacked === UNCOMPRESSED ? length - 8 : Number(unpacked);
  }
  if (size > MOST_BYTES) fail('it unpacks to more than memory holds');
  return size;
};

const checkBatch = (batch: Batch, body: Uint8Array): void => {
  const size = unpackedSize(batch, body);
  // Every value takes a bit at least; columns of nothing but blanks take none.
  const most = Math.max(size * 8, ROWS_WITHOUT_BYTES);
  for (const { length, nullCount } of [batch, ...batch.nodes] as readonly { length: number; nullCount?: number }[])
    if (!(length >= 0 && length <= most) || (nullCount !== undefined && !(nullCount >= 0 && nullCount <= length)))
      fail('a column says that it is longer than the file');
};

/** Unpacking that Arrow's library leaves to others. */
const addCodecs = async ({ compressionRegistry, CompressionType }: Arrow): Promise<void> => {
  if (!compressionRegistry.get(CompressionType.LZ4_FRAME)?.decode)
    compressionRegistry.set(CompressionType.LZ4_FRAME, { decode: (bytes) => unpackLz4(bytes, MOST_BYTES) });
  if (compressionRegistry.get(CompressionType.ZSTD)?.decode) return;
  const { decompressZstd } = await import('hyparquet-compressors');
  compressionRegistry.set(CompressionType.ZSTD, { decode: (bytes) => decompressZstd(bytes) });
};

const CONTINUES = 0xffffffff;

/** Goes over the frames of a stream: what describes each message must lie within it, and its body within the stream. */
const checkFrames = (stream: Uint8Array): void => {
  const view = new DataView(stream.buffer, stream.byteOffset, stream.byteLength);
  for (let at = 0; at + 4 <= stream.length; ) {
    let length = view.getUint32(at, true);
    at += 4;
    if (length === CONTINUES) {
      if (at + 4 > stream.length) fail('a message is cut off');
      length = view.getUint32(at, true);
      at += 4;
    }
    if (length === 0) return;
    if (at + length > stream.length) fail('a message is cut off');
    const { view: own, find } = checkFlat(stream.subarray(at, at + length), MESSAGE);
    const body = find(BODY_LENGTH);
    const size = body === undefined || body + 8 > own.byteLength ? 0n : own.getBigInt64(body, true);
    if (size < 0n || size > BigInt(stream.length - at - length)) fail('a batch is longer than the file');
    at += length + Number(size);
  }
};

/** The index behind the messages of a file, and where it begins. */
const footerOf = (bytes: Uint8Array): { readonly footer: Uint8Array; readonly start: number } => {
  const end = bytes.length - FILE_MAGIC.length - 4;
  if (end < STREAM_START) fail('it is cut off');
  const length = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getInt32(end, true);
  const start = end - length;
  if (length < 8 || start < STREAM_START) fail('its index lies outside of it');
  return { footer: bytes.subarray(start, end), start };
};

/** The schema of a file as the message that a stream begins with: some programs write it into the file's index alone. */
const schemaMessage = (bytes: Uint8Array, { Message, RecordBatchReader }: Arrow): Uint8Array => {
  checkFlat(footerOf(bytes).footer, FOOTER);
  const { schema } = RecordBatchReader.from(bytes).open() as { readonly schema: unknown };
  if (!schema) return fail('it holds no schema');
  const encoded = Message.encode(Message.from(schema as never));
  const length = (encoded.length + 7) & ~7;
  const framed = new Uint8Array(8 + length);
  new DataView(framed.buffer).setUint32(0, 0xffffffff, true);
  new DataView(framed.buffer).setUint32(4, length, true);
  framed.set(encoded, 8);
  return framed;
};

const joined = (first: Uint8Array, second: Uint8Array): Uint8Array => {
  const all = new Uint8Array(first.length + second.length);
  all.set(first);
  all.set(second, first.length);
  return all;
};

/**
 * Goes over the messages of a file or stream and refuses what cannot be: buffers outside of their batch, more rows than
 * bytes. Answers the stream that a file is made of: its index behind that is not needed.
 */
export const checkBatches = async (bytes: Uint8Array, arrow: Arrow): Promise<Uint8Array> => {
  const begins = new TextDecoder('latin1').decode(bytes.subarray(0, FILE_MAGIC.length));
  if (begins.startsWith('FEA1'))
    throw new DurchblickError('bad-file', 'Feather version 1 is not read', {
      kind: 'data',
      hint: 'Save it as Feather version 2, which is Arrow.',
    });
  const stream = begins === FILE_MAGIC ? bytes.subarray(STREAM_START, footerOf(bytes).start) : bytes;
  checkFrames(stream);
  const reader = new arrow.MessageReader(stream);
  let [messages, packed, schema] = [0, false, false];
  for (let message = reader.readMessage() as Message | null; message; message = reader.readMessage() as Message | null) {
    if (messages++ === 0) schema = message.isSchema();
    if (!(message.bodyLength >= 0 && message.bodyLength <= stream.length)) fail('a batch is longer than the file');
    const body = reader.readMessageBody(message.bodyLength);
    const header = message.header();
    const batch = message.isRecordBatch() ? header : message.isDictionaryBatch() ? (header as { readonly data: unknown }).data : undefined;
    if (!batch) continue;
    checkBatch(batch as Batch, body);
    if ((batch as Batch).compression) packed = true;
  }
  if (messages === 0) fail('it holds no schema');
  if (packed) await addCodecs(arrow);
  return schema || begins !== FILE_MAGIC ? stream : joined(schemaMessage(bytes, arrow), stream);
};
