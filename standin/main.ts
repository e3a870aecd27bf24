/** Entry point of the stand-in process. */
import { startStandIn } from '@/standin/server';

const env = (key: string): string => {
  const value = process.env[key];
  if (!value) throw new Error(`${key} is not set.`);
  return value;
};

const running = await startStandIn({
  port: Number(env('ANCHOR_STANDIN_PORT')),
  token: env('ANCHOR_STANDIN_TOKEN'),
  mailPort: process.env.ANCHOR_STANDIN_MAIL_PORT ? Number(process.env.ANCHOR_STANDIN_MAIL_PORT) : null,
  database: {
    host: '127.0.0.1',
    port: Number(env('ANCHOR_DB_PORT')),
    user: env('ANCHOR_DB_USER'),
    password: env('ANCHOR_DB_PASSWORD'),
    database: env('ANCHOR_STANDIN_DB_NAME'),
  },
});
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.once(signal, () => void running.close().then(() => process.exit(0)));
