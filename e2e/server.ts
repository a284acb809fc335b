import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { createInterface } from 'node:readline'

/** A server of its own, for tests that kill it. */
export class OwnServer {
  private child?: ChildProcess
  url = ''
  /** Where a simulated printer's eyes answer. */
  eyes = ''
  constructor(private readonly args: string[]) {}

  async start(listen = '127.0.0.1:0') {
    const binary = process.env.WATTOTHERM_BIN
    if (!binary) throw new Error('WATTOTHERM_BIN names no server. Run: make test')
    this.child = spawn(binary, [...this.args, '--listen', listen], { stdio: ['ignore', 'pipe', 'inherit'] })
    if (!this.child.stdout) throw new Error('the server has no output')
    // Two lines may come at once: none is missed.
    const lines = createInterface(this.child.stdout)[Symbol.asyncIterator]()
    const next = async () =>
      String((await lines.next()).value ?? '')
        .split(' ')
        .at(-1) ?? ''
    if (this.args.includes('--eyes')) this.eyes = await next()
    this.url = await next()
    return this.url
  }

  /** Ends it as an operator does. */
  async end() {
    if (!this.child || this.child.exitCode !== null) return
    const gone = once(this.child, 'exit')
    this.child.kill('SIGTERM')
    await gone
  }

  /** Stands still, as a process does on a machine that has no time for it. */
  freeze() {
    this.child?.kill('SIGSTOP')
  }

  thaw() {
    this.child?.kill('SIGCONT')
  }

  async kill() {
    if (!this.child || this.child.exitCode !== null) return
    const gone = once(this.child, 'exit')
    this.child.kill('SIGKILL')
    await gone
  }
}

/** A simulated printer in a process of its own: killing it is pulling the mains plug. */
export class OwnTwin {
  private readonly process: OwnServer
  constructor(...args: string[]) {
    this.process = new OwnServer(['twin', ...args])
  }

  /** Its host and port; the same ones again when it is switched on again. */
  host = ''
  async on() {
    this.host = await this.process.start(this.host || '127.0.0.1:0')
    return this.host
  }

  /** Where its eyes answer, if it has some. */
  get eyes() {
    return this.process.eyes
  }

  async off() {
    await this.process.kill()
  }
}
