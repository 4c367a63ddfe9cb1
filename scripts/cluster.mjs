// A distributed SQL engine on this machine, for tests and for trying: Trino as one coordinator and workers on loopback.
//   node scripts/cluster.mjs start    installs it once, starts what does not run, waits until it answers, prints its address
//   node scripts/cluster.mjs stop     ends what was started, by process id; `stop worker2` one of them
// Needs Java 24 or newer and Maven. Downloads (570 MB) are kept in Maven's own repository, and what is unpacked of them in
// DURCHBLICK_CLUSTER (~/.cache/durchblick); nothing is asked of a registry that is there already.
import { execFileSync, spawn } from 'node:child_process';
import { existsSync, mkdirSync, openSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { homedir, tmpdir, totalmem } from 'node:os';
import { join } from 'node:path';

const VERSION = '476';
const CACHE = process.env.DURCHBLICK_CLUSTER ?? join(homedir(), '.cache/durchblick');
const HOME = join(CACHE, `trino-${VERSION}`);
const RUN = process.env.DURCHBLICK_CLUSTER_RUN ?? join(tmpdir(), 'durchblick-cluster');
const PORT = Number(process.env.DURCHBLICK_CLUSTER_PORT ?? 18080);
const WORKERS = Number(process.env.DURCHBLICK_CLUSTER_WORKERS ?? 2);
const URL_ = `http://127.0.0.1:${PORT}`;
const LEAST_JAVA = 24;

/** The major version of a Java, 0 where it is none; it speaks to stderr. */
const versionOf = (program) => {
  try {
    return Number(/version "(\d+)/.exec(execFileSync('sh', ['-c', '"$0" -version 2>&1', program], { encoding: 'utf8' }))?.[1] ?? 0);
  } catch {
    return 0;
  }
};

/** A Java that is new enough: the one that is named, the usual one, or another that is installed. */
export const findJava = () => {
  const homes = ['/usr/lib/jvm', '/opt', join(homedir(), '.sdkman/candidates/java')].flatMap((folder) =>
    existsSync(folder) ? readdirSync(folder).map((name) => join(folder, name, 'bin/java')) : [],
  );
  const named = process.env.JAVA_HOME ? [join(process.env.JAVA_HOME, 'bin/java')] : [];
  return [...named, 'java', ...homes].find((program) => (program === 'java' || existsSync(program)) && versionOf(program) >= LEAST_JAVA);
};
/** Why there can be no cluster here; undefined where there can. */
export const whyNot = () => {
  if (!findJava()) return `there is no Java ${LEAST_JAVA} or newer`;
  try {
    execFileSync('mvn', ['--version'], { stdio: 'ignore' });
  } catch {
    return existsSync(join(HOME, '.complete')) ? undefined : 'there is no Maven to fetch it with';
  }
  return undefined;
};

const REPOSITORY = join(homedir(), '.m2/repository');
const archive = (artifact, packaging) => {
  const file = join(REPOSITORY, 'io/trino', artifact, VERSION, `${artifact}-${VERSION}.${packaging}`);
  if (!existsSync(file)) {
    // Named, because Maven asks the system for the home of its user, and Node.js the environment.
    const asked = [
      '-q',
      '-B',
      `-Dmaven.repo.local=${REPOSITORY}`,
      'dependency:get',
      '-Dtransitive=false',
      `-Dartifact=io.trino:${artifact}:${VERSION}:${packaging}`,
    ];
    try {
      execFileSync('mvn', asked, { stdio: ['ignore', 'pipe', 'pipe'], encoding: 'utf8', env: { ...process.env, NO_COLOR: '1' } });
    } catch ({ stdout, stderr, message }) {
      const said = `${stdout ?? ''}\n${stderr ?? ''}`.split('\n').find((line) => line.includes('ERROR')) ?? message;
      throw new Error(`Maven cannot fetch ${artifact} ${VERSION}: ${said.replace(/^.*ERROR\S* /, '').slice(0, 300)}`);
    }
  }
  return file;
};

/** Parts of the server that tests do not need. */
const UNUSED = /^(exchange-filesystem|functions-python|geospatial|resource-group-managers|session-property-managers|spooling-filesystem)$/;

const install = () => {
  if (existsSync(join(HOME, '.complete'))) return;
  const part = `${HOME}.part`;
  rmSync(part, { recursive: true, force: true });
  mkdirSync(part, { recursive: true });
  execFileSync('tar', ['-xzf', archive('trino-server-core', 'tar.gz'), '-C', part, '--strip-components=1']);
  for (const name of readdirSync(join(part, 'plugin'))) if (UNUSED.test(name)) rmSync(join(part, 'plugin', name), { recursive: true });
  for (const plugin of ['memory', 'iceberg']) {
    execFileSync('unzip', ['-q', archive(`trino-${plugin}`, 'zip'), '-d', join(part, 'plugin')]);
    renameSync(join(part, 'plugin', `trino-${plugin}-${VERSION}`), join(part, 'plugin', plugin));
  }
  writeFileSync(join(part, '.complete'), '');
  rmSync(HOME, { recursive: true, force: true });
  renameSync(part, HOME);
};

const pidFile = (name) => join(RUN, `${name}.pid`);
const isAlive = (name) => {
  try {
    const pid = Number(readFileSync(pidFile(name), 'utf8'));
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('TrinoServer');
  } catch {
    return false;
  }
};

const CATALOGS = {
  memory: 'connector.name=memory\nmemory.max-data-per-node=512MB\n',
  lake: `connector.name=iceberg
iceberg.catalog.type=TESTING_FILE_METASTORE
hive.metastore.catalog.dir=local:///lake
fs.native-local.enabled=true
local.location=${join(RUN, 'warehouse')}
iceberg.file-format=PARQUET
iceberg.compression-codec=ZSTD
`,
};

/** Who may read what: one user of the tests may not read tables of one kind, nor what has become of a table. */
const RULES = {
  functions: [{ user: 'guest', privileges: [] }, { privileges: ['EXECUTE', 'GRANT_EXECUTE', 'OWNERSHIP'] }],
  tables: [
    { user: 'guest', table: 'closed_.*', privileges: [] },
    { privileges: ['SELECT', 'INSERT', 'DELETE', 'UPDATE', 'OWNERSHIP', 'GRANT_SELECT'] },
  ],
};

const startServer = (java, name, port, heap, isCoordinator) => {
  if (isAlive(name)) return;
  const home = join(RUN, name);
  mkdirSync(join(home, 'etc/catalog'), { recursive: true });
  mkdirSync(join(RUN, 'warehouse'), { recursive: true });
  const settings = {
    'node.id': name,
    'node.environment': 'test',
    'node.internal-address': '127.0.0.1',
    'node.bind-ip': '127.0.0.1',
    coordinator: isCoordinator,
    'http-server.http.port': port,
    'discovery.uri': URL_,
    'plugin.dir': join(HOME, 'plugin'),
    'catalog.config-dir': join(home, 'etc/catalog'),
    'query.max-memory-per-node': '600MB',
    'query.max-memory': '2GB',
    'memory.heap-headroom-per-node': '300MB',
    ...(isCoordinator
      ? { 'node-scheduler.include-coordinator': WORKERS === 0, 'query.max-history': 200, 'query.min-expire-age': '2m' }
      : {}),
  };
  const properties = Object.entries(settings).map(([key, value]) => `${key}=${value}\n`);
  writeFileSync(join(home, 'etc/config.properties'), properties.join(''));
  const rules = join(home, 'etc/rules.json');
  writeFileSync(rules, JSON.stringify(RULES));
  writeFileSync(join(home, 'etc/access-control.properties'), `access-control.name=file\nsecurity.config-file=${rules}\n`);
  for (const [catalog, text] of Object.entries(CATALOGS)) writeFileSync(join(home, `etc/catalog/${catalog}.properties`), text);
  const log = openSync(join(home, 'server.log'), 'a');
  const options = `-Xms256m -Xmx${heap} -XX:+UseSerialGC -XX:ReservedCodeCacheSize=192m -XX:+ExitOnOutOfMemoryError -Dfile.encoding=UTF-8
    -Djdk.attach.allowAttachSelf=true -XX:+EnableDynamicAgentLoading -Djdk.nio.maxCachedBufferSize=2000000
    --add-modules=jdk.incubator.vector --enable-native-access=ALL-UNNAMED --sun-misc-unsafe-memory-access=allow`;
  const child = spawn(
    java,
    [...options.split(/\s+/), `-Dconfig=${join(home, 'etc/config.properties')}`, '-cp', join(HOME, 'lib/*'), 'io.trino.server.TrinoServer'],
    { cwd: home, detached: true, stdio: ['ignore', log, log] },
  );
  child.unref();
  writeFileSync(pidFile(name), String(child.pid));
};

const count = async () => {
  const headers = { 'X-Trino-User': 'ready' };
  // Of a coordinator alone: whether it may run statements itself yet.
  const body =
    WORKERS === 0
      ? 'select count(*) from (values 1, 2) as t (n) where rand() < 2'
      : "select count(*) from system.runtime.nodes where not coordinator and state = 'active'";
  let answer = await (await fetch(`${URL_}/v1/statement`, { method: 'POST', headers, body })).json();
  let seen = 0;
  for (;;) {
    seen = answer.data?.[0]?.[0] ?? seen;
    if (!answer.nextUri) return Number(seen);
    answer = await (await fetch(answer.nextUri, { headers })).json();
  }
};

/** Starts what does not run yet, and waits until the coordinator sees all of its workers. */
export const start = async () => {
  const missing = whyNot();
  if (missing) throw new Error(missing);
  mkdirSync(RUN, { recursive: true });
  install();
  const java = findJava();
  // What it remembers of statements soon fills a small heap, which is then swept for seconds on end.
  startServer(java, 'coordinator', PORT, totalmem() > 8 * 2 ** 30 ? '3g' : '1g', true);
  for (let k = 1; k <= WORKERS; k++) startServer(java, `worker${k}`, PORT + k, '1500m', false);
  const end = Date.now() + 300_000;
  for (;;) {
    if ((await count().catch(() => 0)) >= Math.max(WORKERS, 1)) return URL_;
    const names = readdirSync(RUN).flatMap((file) => (file.endsWith('.pid') ? [file.slice(0, -4)] : []));
    const ended = names.filter((name) => !isAlive(name));
    if (ended.length > 0) throw new Error(`ended: ${ended.join(', ')}; see server.log in ${RUN}`);
    if (Date.now() > end) throw new Error('the cluster is not ready after 5 minutes');
    await new Promise((done) => setTimeout(done, 500));
  }
};

export const stop = (only) => {
  if (!existsSync(RUN)) return;
  for (const file of readdirSync(RUN)) {
    const name = file.replace(/\.pid$/, '');
    if (!file.endsWith('.pid') || (only !== undefined && name !== only)) continue;
    if (isAlive(name)) process.kill(Number(readFileSync(pidFile(name), 'utf8')));
    rmSync(pidFile(name));
  }
};

if (import.meta.url === `file://${process.argv[1]}`) {
  const [command, name] = process.argv.slice(2);
  try {
    if (command === 'stop') stop(name);
    else if (command === 'install') install();
    else process.stdout.write(`${await start()}\n`);
  } catch (error) {
    process.stderr.write(`${error.message.split('\n')[0]}\n`);
    process.exitCode = 1;
  }
}
