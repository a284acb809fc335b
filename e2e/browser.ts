/** Debian's chromium, headless, asking nothing of the network. */
export const browser = {
  viewport: { width: 1280, height: 800 },
  launchOptions: {
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  },
}
