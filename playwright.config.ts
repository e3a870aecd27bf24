import { defineConfig } from '@playwright/test';

/** Debian's Chromium; its own talk to the outside is switched off. */
export default defineConfig({
  testDir: 'tests/e2e',
  timeout: 180_000,
  expect: { timeout: 15_000 },
  workers: 1,
  reporter: [['list'], ['json', { outputFile: '.data/e2e.json' }]],
  use: {
    baseURL: process.env.ANCHOR_E2E_ADDRESS ?? 'http://127.0.0.1:3600',
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
