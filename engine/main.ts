/** Entry point of an engine process. */
import pino from 'pino';
import { controllerFromEnvironment } from '@/connectors/http-controller';
import { smtpMail } from '@/connectors/mail';
import { sendEvent } from '@/connectors/webhook';
import { Engine } from '@/engine/driver';
import { openClock } from '@/store/clock';
import { databaseOptions, openDatabase } from '@/store/database';
import { sealingKey, unseal } from '@/store/sealed';

const log = pino({ name: 'engine' });
const { ANCHOR_SMTP_URL: smtpUrl, ANCHOR_MAIL_FROM: from = 'anchor-bay@localhost' } = process.env;
const db = openDatabase(databaseOptions(process.env));
const engine = new Engine({
  db,
  clock: openClock(db, process.env),
  log,
  connect: (nowMs) => controllerFromEnvironment(process.env, nowMs),
  senders: {
    mail: smtpUrl ? smtpMail(smtpUrl, from) : null,
    event: sendEvent,
    unseal: (sealed) => unseal(sealed, sealingKey(process.env)),
  },
  roundMs: 250,
});

for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.once(signal, () => {
    log.info('finishing what is in hand');
    void engine
      .stop()
      .then(() => db.close())
      .then(() => process.exit(0));
  });
log.info({ engine: engine.id }, 'engine started');
await engine.run();
