/**
 * npm run galera: three MariaDB nodes on loopback as one cluster, a small fleet on it with an engine at each of two nodes;
 * one node is killed in the middle of the work. Prints what became of it; the last line is "N passed, N failed".
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { createConnection } from 'mysql2/promise';
import { HOUR, MINUTE } from '@/core/units';
import { initialise } from './mariadb';
import { Trouble } from './trouble';

const PROVIDER = '/usr/lib/galera/libgalera_smm.so';
const ROOT = path.resolve('.data/galera');
/** The first node makes the account; the others get it with everything else. */
const INIT = path.join(ROOT, 'init.sql');
/** SQL, group, incremental and full transfer of node n. */
const portsOf = (n: number) => ({ sql: 3850 + n, group: 4850 + 10 * n, ist: 4851 + 10 * n, sst: 4852 + 10 * n });
const NODES = [1, 2, 3] as const;
const members = NODES.map((n) => `127.0.0.1:${portsOf(n).group}`).join(',');

function startNode(n: number, first: boolean): ChildProcess {
  const { sql, group, ist, sst } = portsOf(n);
  const home = path.join(ROOT, `node${n}`);
  return spawn(
    'mariadbd',
    [
      '--no-defaults',
      `--datadir=${path.join(home, 'mysql')}`,
      `--port=${sql}`,
      '--bind-address=127.0.0.1',
      `--socket=${path.join(home, 'socket')}`,
      `--pid-file=${path.join(home, 'pid')}`,
      `--log-error=${path.join(home, 'error.log')}`,
      '--skip-name-resolve',
      '--character-set-server=utf8mb4',
      '--collation-server=utf8mb4_bin',
      '--binlog-format=ROW',
      '--innodb-autoinc-lock-mode=2',
      '--wsrep-on=ON',
      `--wsrep-provider=${PROVIDER}`,
      '--wsrep-cluster-name=anchor',
      `--wsrep-cluster-address=gcomm://${first ? '' : members}`,
      `--wsrep-node-address=127.0.0.1`,
      `--wsrep-node-name=node${n}`,
      ...(first ? [`--init-file=${INIT}`] : []),
      '--wsrep-sst-method=rsync',
      `--wsrep-sst-receive-address=127.0.0.1:${sst}`,
      `--wsrep-provider-options=base_port=${group};gmcast.listen_addr=tcp://127.0.0.1:${group};ist.recv_addr=127.0.0.1:${ist}`,
      ...(process.getuid?.() === 0 ? ['--user=mysql'] : []),
    ],
    { stdio: 'ignore', detached: true },
  );
}

async function untilSynced(n: number, size: number): Promise<void> {
  for (let i = 0; i < 240; i++) {
    try {
      const connection = await createConnection({
        host: '127.0.0.1',
        port: portsOf(n).sql,
        user: 'anchor',
        password: 'anchor',
      });
      const [rows] = await connection.query(
        `SHOW STATUS WHERE Variable_name IN ('wsrep_local_state_comment', 'wsrep_cluster_size')`,
      );
      await connection.end();
      const state = Object.fromEntries(
        (rows as Array<{ Variable_name: string; Value: string }>).map((r) => [r.Variable_name, r.Value]),
      );
      if (state.wsrep_local_state_comment === 'Synced' && Number(state.wsrep_cluster_size) >= size) return;
    } catch {
      // Not up yet.
    }
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  throw new Trouble(`Node ${n} did not join.`, `See ${path.join(ROOT, `node${n}`, 'error.log')}.`);
}

if (!existsSync(PROVIDER))
  throw new Trouble('Galera is not installed.', 'As root: apt-get install galera-4 rsync, then start again.');
rmSync(ROOT, { recursive: true, force: true });
mkdirSync(ROOT, { recursive: true });
writeFileSync(
  INIT,
  `CREATE USER IF NOT EXISTS 'anchor'@'127.0.0.1' IDENTIFIED BY 'anchor';\nGRANT ALL ON *.* TO 'anchor'@'127.0.0.1';\n`,
);
const nodes: ChildProcess[] = [];
for (const n of NODES) {
  const home = path.join(ROOT, `node${n}`);
  initialise(home, path.join(home, 'mysql'), path.join(home, 'secret'));
  nodes.push(startNode(n, n === 1));
  await untilSynced(n, n);
}
console.log('passed  three nodes are one cluster');
Object.assign(process.env, {
  ANCHOR_DB_PORT: String(portsOf(1).sql),
  ANCHOR_DB_USER: 'anchor',
  ANCHOR_DB_PASSWORD: 'anchor',
  ANCHOR_STANDIN_TOKEN: 'galera',
  ANCHOR_LEASE_MS: '3000',
});
const { Harbour } = await import('../tests/integration/harbour');
const { brokenInvariants } = await import('../tests/chaos/invariants');
const { lanesFor, RPO_MS, WORKLOADS } = await import('../tests/chaos/fleet');
const { execute } = await import('@/store/database');
const lanes = lanesFor(1);
const harbour = await Harbour.build('anchor_galera', lanes, { workloads: WORKLOADS, port: 3858 });
await execute(harbour.db, 'UPDATE tiers SET rpo_ms = ?', [RPO_MS]);
await harbour.startStandIn();
harbour.startEngine();
harbour.startEngine({ ANCHOR_DB_PORT: String(portsOf(2).sql) });
await harbour.beginJump(8 * HOUR);
await new Promise((resolve) => setTimeout(resolve, 3000));
process.kill(nodes[2]?.pid ?? 0, 'SIGKILL');
await harbour.untilArrived(300_000);
console.log('passed  two engines at two nodes carried on while the third node was killed');
nodes[2] = startNode(3, false);
await untilSynced(3, 3);
console.log('passed  the third node came back and caught up');
for (let tries = 0; tries < 400; tries++) {
  await harbour.beginJump(MINUTE);
  await harbour.untilArrived();
  const [busy] = await harbour.rows<{ n: number }>(`SELECT COUNT(*) n FROM runs WHERE state IN ('running', 'waiting')`);
  if (busy?.n === 0) break;
}
const broken = await brokenInvariants(harbour, lanes, (await harbour.clock.read()).nowMs);
for (const line of broken) console.log(`        ${line}`);
console.log(`${broken.length ? 'FAILED' : 'passed'}  the invariants hold`);
await harbour.close();
for (const node of nodes) {
  const gone = new Promise((resolve) => node.once('exit', resolve));
  node.kill('SIGTERM');
  await gone;
}
console.log(`${broken.length ? 3 : 4} passed, ${broken.length ? 1 : 0} failed`);
process.exit(broken.length ? 1 : 0);
