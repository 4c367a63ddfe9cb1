// An answer in a page of one's own: an element in the HTML, and the answer given to it.
import { open } from 'durchblick';
import { CELL_EVENT, type CellDetail } from 'durchblick/element';
import { memory, urlFiles } from 'durchblick/memory';
import { parseModel } from 'durchblick/yaml';

const model = parseModel(await (await fetch('./model.yaml')).text(), 'model.yaml');
const book = await open(model, memory({}, { files: urlFiles(document.baseURI) }));

const answer = document.querySelector('durchblick-answer');
if (answer) answer.result = await book.ask('monthly-sales');

answer?.addEventListener(CELL_EVENT, (event) => {
  const { cells, column } = (event as CustomEvent<CellDetail>).detail;
  const chosen = document.querySelector('#chosen');
  if (chosen) chosen.textContent = `${cells[0]}: ${cells[column]}`;
});
