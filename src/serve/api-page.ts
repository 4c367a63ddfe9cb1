// A page to read the interface and to try it: made in the browser of /openapi.json, with nothing from elsewhere.

export const API_PAGE = `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Durchblick over HTTP</title>
    <link rel="icon" href="data:,">
    <style>
      :root { color-scheme: light dark; --line: light-dark(#d5ddd8, #37443b); --quiet: light-dark(#55635b, #a9b8af); --strong: light-dark(#14532d, #8fd6a8); }
      body { margin: 0 auto; padding: 1rem 1.5rem 4rem; max-width: 62rem; font: 15px/1.5 'DejaVu Sans', Verdana, sans-serif; background: light-dark(#fff, #151d18); color: light-dark(#26332b, #e3ebe6); }
      h1 { font-size: 1.4rem; }
      p { color: var(--quiet); }
      details { border: 1px solid var(--line); border-radius: 6px; margin: .5rem 0; padding: 0 .9rem; }
      details[open] { padding-bottom: .9rem; }
      summary { cursor: pointer; padding: .55rem 0; }
      summary code { color: var(--strong); font-weight: bold; margin-right: .6rem; }
      form { display: grid; grid-template-columns: minmax(7rem, 22rem) 1fr; gap: .4rem .8rem; align-items: center; }
      label small { display: block; color: var(--quiet); }
      input, select, button, textarea { font: inherit; padding: .3rem .5rem; border: 1px solid var(--line); border-radius: 4px; background: transparent; color: inherit; }
      input, textarea { width: 100%; box-sizing: border-box; field-sizing: content; font-family: 'DejaVu Sans Mono', monospace; }
      option { background: Canvas; color: CanvasText; }
      button { grid-column: 2; justify-self: start; background: var(--strong); color: light-dark(#fff, #10201a); border: 0; padding: .4rem 1rem; cursor: pointer; }
      pre { overflow: auto; max-height: 24rem; padding: .7rem; border: 1px solid var(--line); border-radius: 4px; white-space: pre-wrap; overflow-wrap: anywhere; }
      output img { max-width: 100%; }
    </style>
  </head>
  <body>
    <h1>Durchblick over HTTP</h1>
    <p>Made of <a href="openapi.json">openapi.json</a>. Fields that stay empty are left out; several values stand on lines of their own.</p>
    <main id="paths" aria-live="polite">…</main>
    <script type="module" src="api.js"></script>
  </body>
</html>
`;

export const API_SCRIPT = `const made = (tag, text = '', more = {}) => Object.assign(document.createElement(tag), { textContent: text }, more);
const main = document.getElementById('paths');
let key = sessionStorage.getItem('durchblick-key') ?? '';
const ask = (path, options = {}) => fetch(path, { ...options, headers: { ...options.headers, ...(key ? { authorization: 'Bearer ' + key } : {}) } });

const shown = async (response, out) => {
  const type = response.headers.get('content-type') ?? '';
  out.replaceChildren(made('p', response.status + ' ' + response.statusText + ', ' + type));
  const blob = await response.blob();
  if (/^image/.test(type)) out.append(made('img', '', { src: URL.createObjectURL(blob), alt: 'the answer as a picture' }));
  else if (/text|json/.test(type)) out.append(made('pre', (await blob.text()).slice(0, 20000)));
  else out.append(made('a', 'save ' + blob.size + ' bytes', { href: URL.createObjectURL(blob), download: 'answer' }));
};

const field = (parameter, id) => {
  const { name, description, required, schema, example } = parameter;
  const label = made('label', name, { htmlFor: id });
  label.append(made('small', (description ?? '') + (required ? ' (needed)' : '')));
  const many = Boolean(schema.anyOf);
  const input = schema.enum ? made('select') : many ? made('textarea', '', { rows: 1 }) : made('input');
  if (schema.enum) input.append(made('option', ''), ...schema.enum.map((value) => made('option', value)));
  else input.placeholder = example ?? '';
  return { label, input: Object.assign(input, { id, name, required: Boolean(required) }) };
};

const operation = (path, { get, parameters = [] }, models) => {
  const box = made('details');
  const summary = made('summary');
  summary.append(made('code', 'GET ' + path), made('span', get.summary));
  const form = made('form');
  const inPath = parameters.map((own) => ({ ...own, schema: { enum: models.map(({ name }) => name) }, description: 'the model' }));
  const fields = [...inPath, ...(get.parameters ?? [])].map((own, k) => field(own, path + ' ' + k));
  for (const { label, input } of fields) form.append(label, input);
  for (const { input } of fields.slice(0, inPath.length)) input.value = models[0]?.name ?? '';
  const address = made('pre');
  const out = made('output');
  form.append(made('button', 'Try it'));
  form.addEventListener('submit', async (event) => {
    event.preventDefault();
    const query = new URLSearchParams();
    for (const { input } of fields.slice(inPath.length)) for (const line of input.value.split('\\n')) if (line.trim() !== '') query.append(input.name, line.trim());
    const model = inPath.length > 0 ? fields[0].input.value : '';
    const target = path.slice(1).replace('{model}', encodeURIComponent(model)) + (query.size > 0 ? '?' + query : '');
    address.textContent = new URL(target, location.href).href;
    await shown(await ask(target), out);
  });
  box.append(summary, form, address, out);
  return box;
};

const start = async () => {
  const response = await ask('openapi.json');
  if (response.status === 401) {
    const form = made('form');
    const { label, input } = field({ name: 'key', description: 'whoever serves these models has given you one', required: true, schema: {} }, 'key');
    form.append(label, Object.assign(input, { type: 'password' }), made('button', 'Open'));
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      key = input.value;
      sessionStorage.setItem('durchblick-key', key);
      start();
    });
    main.replaceChildren(form);
    return;
  }
  const [{ paths }, models] = [await response.json(), await (await ask('models')).json()];
  main.replaceChildren(...Object.entries(paths).map(([path, item]) => operation(path, item, models)));
  main.querySelectorAll('details')[2].open = true;
};
start();
`;
