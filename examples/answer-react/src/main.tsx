// The same as a component: asked again by another unit, it shows the other answer.
import { open, type Result } from 'durchblick';
import { memory, urlFiles } from 'durchblick/memory';
import { Answer, type CellDetail } from 'durchblick/react';
import { parseModel } from 'durchblick/yaml';
import { useEffect, useState } from 'react';
import { createRoot } from 'react-dom/client';

const model = parseModel(await (await fetch('./model.yaml')).text(), 'model.yaml');
const book = await open(model, memory({}, { files: urlFiles(document.baseURI) }));
const UNITS = ['month', 'quarter', 'week'];

const Sales = () => {
  const [by, setBy] = useState('month');
  const [result, setResult] = useState<Result>();
  const [chosen, setChosen] = useState<CellDetail>();
  useEffect(() => {
    let current = true;
    book.ask({ show: ['revenue', 'revenue vs year-earlier'], by, range: 'ytd' }).then((found) => current && setResult(found));
    return () => {
      current = false;
    };
  }, [by]);
  return (
    <>
      <h1>Grünhof: what each {by} sold</h1>
      <label>
        By{' '}
        <select value={by} onChange={({ target }) => setBy(target.value)}>
          {UNITS.map((unit) => (
            <option key={unit}>{unit}</option>
          ))}
        </select>
      </label>
      <Answer result={result} onCell={setChosen} />
      <p role="status">{chosen ? `${chosen.cells[0]}: ${chosen.cells[chosen.column]}` : 'Choose a number.'}</p>
    </>
  );
};

createRoot(document.querySelector('#root') as HTMLElement).render(<Sales />);
