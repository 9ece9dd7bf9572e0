import { defineConfig } from "@playwright/test";

const workers = 2;
const port = (worker) => Number(process.env.LEANCATCH_E2E_PORT ?? 8431) + worker;
export const address = (worker) => `http://127.0.0.1:${port(worker)}`;

// All journeys run on the desk's screen, those tagged @phone also on a phone's: where
// the hand or the narrow screen makes a difference. They run against the demo, each worker's in a database of its own.
export default defineConfig({
  testDir: ".",
  outputDir: "../test-results",
  fullyParallel: true,
  workers,
  timeout: 180_000,
  expect: { timeout: 10_000 },
  // One more try: a shared machine may stand still for seconds, and one journey
  // holds the board to two.
  retries: 1,
  reporter: [["list"]],
  use: {
    actionTimeout: 15_000,
    timezoneId: "Europe/Oslo",
    locale: "en-GB",
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium-headless-shell",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
  },
  projects: [
    { name: "desk", use: { viewport: { width: 1280, height: 800 } } },
    { name: "phone", use: { viewport: { width: 390, height: 844 }, hasTouch: true }, grep: /@phone/ },
  ],
  webServer: Array.from({ length: workers }, (_, n) => ({
    command: `e2e/server.sh ${n} ${port(n)}`,
    cwd: "..",
    url: `${address(n)}/readyz`,
    timeout: 120_000,
    reuseExistingServer: false,
  })),
});
