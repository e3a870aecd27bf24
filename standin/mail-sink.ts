/** The simulated mail server and webhook receiver: takes everything in, keeps the newest, and shows it on request. */
import { simpleParser } from 'mailparser';
import type { Pool, RowDataPacket } from 'mysql2/promise';
import { SMTPServer } from 'smtp-server';

/** Letters and events kept. */
const KEPT = 500;
const LARGEST = 256 * 1024;

export interface Received {
  readonly id: number;
  readonly kind: 'mail' | 'event';
  readonly target: string;
  readonly subject: string;
  readonly body: string;
}

export class Sink {
  private server: SMTPServer | null = null;

  constructor(private readonly pool: Pool) {}

  async prepare(): Promise<void> {
    await this.pool.query(`CREATE TABLE IF NOT EXISTS received (id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
      kind ENUM('mail','event') NOT NULL, target VARCHAR(300) NOT NULL, subject VARCHAR(300) NOT NULL, body MEDIUMTEXT NOT NULL)`);
  }

  /** Listens for mail on 127.0.0.1. A letter is accepted once it is kept. */
  async listen(port: number): Promise<void> {
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      size: LARGEST,
      logger: false,
      onData: (stream, session, done) => {
        simpleParser(stream)
          .then(async (mail) => {
            const to = session.envelope.rcptTo.map((rcpt) => rcpt.address).join(', ');
            await this.keep('mail', to, mail.subject ?? '', mail.text ?? '');
            done();
          })
          .catch((error: unknown) => done(error as Error));
      },
    });
    this.server = server;
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, '127.0.0.1', () => resolve());
    });
  }

  async keep(kind: Received['kind'], target: string, subject: string, body: string): Promise<void> {
    await this.pool.query('INSERT INTO received (kind, target, subject, body) VALUES (?, ?, ?, ?)', [
      kind,
      target.slice(0, 300),
      subject.slice(0, 300),
      body.slice(0, LARGEST),
    ]);
    await this.pool.query(
      'DELETE FROM received WHERE id + ? <= (SELECT newest FROM (SELECT MAX(id) newest FROM received) r)',
      [KEPT],
    );
  }

  /** The newest first. */
  async newest(limit: number): Promise<Received[]> {
    const [rows] = await this.pool.query<RowDataPacket[]>(
      'SELECT id, kind, target, subject, body FROM received ORDER BY id DESC LIMIT ?',
      [limit],
    );
    return rows as Received[];
  }

  close(): Promise<void> {
    return new Promise((resolve) => (this.server ? this.server.close(() => resolve()) : resolve()));
  }
}
