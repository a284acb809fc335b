import { createServer, type Server, type Socket } from 'node:net'
import type { AddressInfo } from 'node:net'

interface Plate {
  at: number
  target: number
}

/**
 * A board that says what a test wants it to say: written by hand for the browser tests, apart from the
 * application and its simulated printer.
 */
export class Board {
  nozzles: Plate[]
  bed: Plate = { at: 22, target: 0 }
  /** Hears, and obeys nothing any more. */
  stuck = false
  /** Everything it heard, in order. */
  heard: string[] = []
  private readonly server: Server
  private readonly sockets = new Set<Socket>()
  private last = 0
  constructor(nozzles = 1) {
    this.nozzles = Array.from({ length: nozzles }, () => ({ at: 23, target: 0 }))
    this.server = createServer((socket) => {
      this.sockets.add(socket)
      let every: NodeJS.Timeout | undefined
      let half = ''
      const say = (text: string) => socket.write(`${text}\n`)
      say('start')
      socket.on('data', (bytes) => {
        const lines = (half + bytes.toString('latin1')).split('\n')
        half = lines.pop() ?? ''
        for (const line of lines) {
          const command = line
            .replace(/\*.*/, '')
            .replace(/^N\d+ /, '')
            .trim()
          if (!command) continue
          const number = /^N(\d+)/.exec(line)?.[1]
          if (number) this.last = Number(number)
          this.heard.push(command)
          const [code = '', ...words] = command.split(' ')
          const value = (letter: string) => {
            const word = words.find((w) => w.startsWith(letter))
            return word ? Number(word.slice(1)) : undefined
          }
          const nozzle = this.nozzles[value('T') ?? 0]
          if (this.stuck) continue
          if (code === 'M112') {
            for (const p of [...this.nozzles, this.bed]) p.target = 0
            say('Error:Printer halted')
          }
          if (code === 'M104' && nozzle) nozzle.target = value('S') ?? 0
          else if (code === 'M140') this.bed.target = value('S') ?? 0
          else if (code === 'M155') {
            clearInterval(every)
            every = setInterval(() => say(this.report()), 400)
          }
          if (code === 'M105') say(`ok ${this.report()}`)
          else if (code === 'M27') say('Not SD printing\nok')
          else if (code !== 'M112' && code !== 'M108') say('ok')
        }
      })
      socket.on('error', () => undefined)
      socket.on('close', () => {
        clearInterval(every)
        this.sockets.delete(socket)
      })
    })
  }

  private report() {
    const one = (p: Plate) => `${p.at.toFixed(1)} /${p.target.toFixed(1)}`
    const output = (p: Plate) => (p.target > p.at ? 127 : 0)
    const first = this.nozzles[0] as Plate
    let text = `T:${one(first)} B:${one(this.bed)}`
    if (this.nozzles.length > 1) this.nozzles.forEach((n, i) => (text += ` T${i}:${one(n)}`))
    text += ` @:${output(first)} B@:${output(this.bed)}`
    if (this.nozzles.length > 1) this.nozzles.forEach((n, i) => (text += ` @${i}:${output(n)}`))
    return text
  }

  /** Its host and port. */
  async on() {
    await new Promise<void>((done) => this.server.listen(0, '127.0.0.1', done))
    return `127.0.0.1:${(this.server.address() as AddressInfo).port}`
  }

  off() {
    for (const s of this.sockets) s.destroy()
    this.server.close()
  }
}
