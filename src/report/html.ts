// A report as one file: what it holds, the program that answers from it, and nothing from elsewhere.
import { readFile } from 'node:fs/promises';
import { gzipSync } from 'node:zlib';
import { escapeHtml } from '../basics/text.ts';
import { DurchblickError } from '../errors.ts';
import type { ReportData } from './data.ts';

/** Mail takes no larger ones. */
const MOST_BYTES = 5 * 2 ** 20;

const STYLE = `
:root { color-scheme: light dark; --ink: #26332b; --quiet: #5f6b64; --line: #d5ddd8; --paper: #ffffff; --tint: #f4f7f5; --bad: #b3261e;
  --durchblick-ink: var(--ink); --durchblick-quiet: var(--quiet); --durchblick-line: var(--line); --durchblick-paper: var(--paper); }
* { box-sizing: border-box; }
body { margin: 0; color: var(--ink); background: var(--paper); font: 14px/1.45 "DejaVu Sans", Verdana, sans-serif; color-scheme: light; }
main { max-width: 62rem; margin: 0 auto; padding: 1.5rem; }
header { display: flex; justify-content: space-between; align-items: end; gap: 1rem; border-bottom: 2px solid var(--ink); padding-bottom: .6rem; }
h1 { font-size: 1.4rem; margin: 0; }
h2 { font-size: 1.1rem; margin: 2rem 0 .2rem; }
h3 { font-size: 1rem; }
.about { margin: 0 0 .8rem; color: var(--quiet); max-width: 46rem; }
.controls { display: flex; flex-wrap: wrap; gap: .8rem; align-items: end; }
section .controls { background: var(--tint); padding: .7rem .8rem; margin-bottom: 1rem; border-radius: 4px; }
.controls label, .members summary { display: grid; gap: .15rem; font-size: .8rem; color: var(--quiet); }
.controls select, .controls input[type=date], .members summary b { font: inherit; font-size: .9rem; color: var(--ink); background: var(--paper); border: 1px solid var(--line); border-radius: 3px; padding: .25rem .4rem; min-height: 2rem; max-width: 13rem; }
.members { position: relative; }
.members summary { cursor: pointer; list-style: none; }
.members summary b { font-weight: 400; min-width: 6rem; }
.members .list { position: absolute; z-index: 2; background: var(--paper); border: 1px solid var(--line); padding: .4rem .6rem; max-height: 16rem; overflow: auto; box-shadow: 0 4px 14px #0002; }
.member { display: flex !important; gap: .4rem; align-items: center; color: var(--ink) !important; font-size: .9rem !important; white-space: nowrap; }
.fault { color: var(--bad); }
.fault:empty { display: none; }
footer { margin-top: 2.5rem; padding-top: .6rem; border-top: 1px solid var(--line); color: var(--quiet); font-size: .8rem; }
dialog { border: 1px solid var(--line); border-radius: 6px; padding: 1.2rem 1.5rem; width: min(54rem, 94vw); max-height: 88vh; overflow: auto; color: var(--ink); background: var(--paper); }
dialog::backdrop { background: #0006; }
dialog pre { white-space: pre-wrap; font: inherit; margin: 0; }
.close { float: right; font: inherit; padding: .3rem .8rem; cursor: pointer; }
:is(select, input, summary, button):focus-visible { outline: 2px solid var(--ink); outline-offset: 1px; }
@media print { main { max-width: none; padding: 0; } .controls, dialog { display: none !important; } section { break-inside: avoid; } }
`;

/** Unpacks program and data, and begins. Written for the page, not for this program. */
const BEGIN = `
const unpacked = async (id) => {
  const packed = Uint8Array.from(atob(document.getElementById(id).textContent), (character) => character.charCodeAt(0));
  return new Response(new Blob([packed]).stream().pipeThrough(new DecompressionStream('gzip'))).text();
};
const root = document.querySelector('main');
(async () => {
  const script = document.createElement('script');
  script.textContent = await unpacked('program');
  document.head.append(script);
  await globalThis.durchblickReport(JSON.parse(await unpacked('data')), root);
})().catch((error) => {
  const told = document.createElement('p');
  told.className = 'fault';
  told.textContent = 'The report cannot be shown: ' + error.message;
  root.prepend(told);
});
`;

const programText = async (): Promise<Uint8Array> => {
  try {
    return await readFile(new URL('../report/program.js', import.meta.url));
  } catch (cause) {
    throw new DurchblickError('no-program', 'the program of a report is not built', {
      kind: 'engine',
      hint: 'npm run build makes it.',
      cause,
    });
  }
};

const packed = (content: string | Uint8Array): string => gzipSync(content, { level: 9 }).toString('base64');

/** One self-contained page; `still` is what is shown where no program runs. */
export const reportHtml = async (data: ReportData, title: string, still: string): Promise<string> => {
  const html = `<!doctype html>
<html lang="${escapeHtml(data.locales[0])}">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; script-src 'unsafe-inline' 'unsafe-eval'; style-src 'unsafe-inline'; img-src data:">
<title>${escapeHtml(title)}</title>
<style>${STYLE}</style>
<main><noscript>${still}</noscript></main>
<script type="application/octet-stream" id="data">${packed(JSON.stringify(data))}</script>
<script type="application/octet-stream" id="program">${packed(await programText())}</script>
<script>${BEGIN}</script>
</html>
`;
  const bytes = Buffer.byteLength(html);
  if (bytes > MOST_BYTES)
    throw new DurchblickError('report-too-large', `the report would have ${(bytes / 2 ** 20).toFixed(1)} MB; 5 are the most`, {
      hint: 'Leave out filters (--filter with fewer attributes), or questions with distinct counts, percentiles or many members.',
    });
  return html;
};
