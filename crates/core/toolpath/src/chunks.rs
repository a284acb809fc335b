//! A file as chunks of whole lines, lexed on all cores and handed on in order; memory is that of a few chunks.

use std::collections::BTreeMap;
use std::io::{self, Read};
use std::sync::mpsc::{Receiver, SyncSender, TryRecvError, channel, sync_channel};
use std::sync::{Mutex, PoisonError};

use wattotherm_gcode::{Marks, PlainMove, Short, line_end, short_line};

/// Bytes of a chunk: its lines and what was read of them stay in a core's cache.
const CHUNK_BYTES: usize = 64 * 1024;
/// The same of a file's first, which is often all of it.
const FIRST_BYTES: usize = 32 * 1024;
/// Chunks under way at once.
const CHUNKS: usize = 8;

/// A line that says something.
#[derive(Clone, Copy, Debug, Default)]
pub struct Line {
    /// First byte in the chunk.
    pub start: u32,
    /// The byte behind its last, its end not included.
    pub end: u32,
    /// Which line of the chunk it is, from 0.
    pub number: u32,
    /// Whether it is a move that the short way reads.
    pub plain: bool,
    /// That move; nothing of it means anything where `plain` is false.
    pub moves: PlainMove,
}

/// Some whole lines of a file.
#[derive(Debug, Default)]
pub struct Chunk {
    nth: u64,
    /// Where its first byte stands in the file.
    pub at: u64,
    /// Its bytes.
    pub bytes: Vec<u8>,
    marks: Marks,
    /// Its lines but those that are blank or a remark alone.
    pub lines: Vec<Line>,
    /// How many line ends it has.
    pub ends: u64,
    /// Whether it begins in the middle of a line that filled the chunk before.
    continues: bool,
    /// Whether a line runs on past its end; that line is in none of the two.
    pub unfinished: bool,
}

impl Chunk {
    /// The byte behind the end of a line whose bytes end at `end`.
    #[must_use]
    pub fn past(&self, end: usize) -> usize {
        past_end(&self.bytes, end)
    }

    fn lex(&mut self) {
        self.lines.clear();
        self.ends = 0;
        let bytes = &self.bytes[..];
        self.marks.read(bytes);
        let mut at = 0;
        if self.continues {
            at = past_end(bytes, line_end(bytes, 0));
            self.ends += u64::from(at > 0 && (at < bytes.len() || !self.unfinished));
        } else if self.at == 0 && bytes.starts_with(b"\xEF\xBB\xBF") {
            at = 3;
        }
        #[allow(clippy::cast_possible_truncation)] // a chunk is far below 4 GB
        while at < bytes.len() {
            // Written where it stays: nothing as large is copied a million times.
            self.lines.push(Line {
                start: at as u32,
                number: self.ends as u32,
                ..Line::default()
            });
            let last = self.lines.len() - 1;
            let line = &mut self.lines[last];
            let mut says = true;
            let end = match self.marks.usual_move(bytes, at, &mut line.moves) {
                Some(end) => {
                    line.plain = true;
                    end
                }
                None => {
                    let (what, end) = short_line(bytes, at);
                    match what {
                        Short::Blank => says = false,
                        Short::Move(moves) => (line.plain, line.moves) = (true, moves),
                        Short::Other => {}
                    }
                    end
                }
            };
            line.end = end as u32;
            let next = past_end(bytes, end);
            let runs_on = next == end && self.unfinished;
            if !says || runs_on {
                self.lines.truncate(last);
            }
            self.ends += u64::from(!runs_on);
            at = next;
        }
    }
}

/// Behind the end of a line: `\n`, `\r`, or both.
fn past_end(bytes: &[u8], end: usize) -> usize {
    match (bytes.get(end), bytes.get(end + 1)) {
        (Some(b'\r'), Some(b'\n')) => end + 2,
        (Some(_), _) => end + 1,
        (None, _) => end,
    }
}

/// Fills chunks from a reader, one after the other.
struct Source<R> {
    from: R,
    nth: u64,
    at: u64,
    carry: Vec<u8>,
    continues: bool,
    done: bool,
}

impl<R: Read> Source<R> {
    const fn new(from: R) -> Self {
        Self {
            from,
            nth: 0,
            at: 0,
            carry: Vec::new(),
            continues: false,
            done: false,
        }
    }

    /// Fills `chunk`; false at the end of the file.
    fn fill(&mut self, chunk: &mut Chunk) -> io::Result<bool> {
        if self.done {
            return Ok(false);
        }
        let size = if self.nth == 0 {
            FIRST_BYTES
        } else {
            CHUNK_BYTES
        };
        let bytes = &mut chunk.bytes;
        bytes.clear();
        bytes.append(&mut self.carry);
        let mut had = bytes.len();
        bytes.resize(size, 0);
        while had < size {
            match self.from.read(&mut bytes[had..]) {
                Ok(0) => {
                    self.done = true;
                    break;
                }
                Ok(n) => had += n,
                Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
                Err(e) => return Err(e),
            }
        }
        bytes.truncate(had);
        // A `\r` that is the last byte may be the first half of an end.
        let cut = if self.done {
            Some(had)
        } else {
            memchr::memrchr(b'\n', bytes)
                .or_else(|| memchr::memrchr(b'\r', &bytes[..had.saturating_sub(1)]))
                .map(|i| i + 1)
        };
        chunk.unfinished = cut.is_none();
        chunk.continues = self.continues;
        self.continues = cut.is_none();
        let cut = cut.unwrap_or(had);
        self.carry.extend_from_slice(&bytes[cut..]);
        bytes.truncate(cut);
        chunk.nth = self.nth;
        chunk.at = self.at;
        self.nth += 1;
        self.at += cut as u64;
        Ok(cut > 0)
    }
}

/// Why reading ended early.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The file could not be read.
    #[error("the file could not be read: {0}")]
    Io(#[from] io::Error),
    /// Whoever watched it said stop.
    #[error("stopped")]
    Stopped,
}

/// Hands each chunk of `from` to `take`, in order, lexed on `cores` threads beside this one; on this one alone
/// where `cores` is 0. Returning false from `take` stops it.
/// # Errors
/// [`ReadError`].
pub fn each_chunk<R: Read + Send>(
    from: R,
    cores: usize,
    mut take: impl FnMut(&Chunk) -> bool,
) -> Result<(), ReadError> {
    let mut source = Source::new(from);
    // What fits in one chunk isn't worth a thread.
    let mut first = Chunk::default();
    if !source.fill(&mut first)? {
        return Ok(());
    }
    first.lex();
    if !take(&first) {
        return Err(ReadError::Stopped);
    }
    if source.done {
        return Ok(());
    }
    if cores == 0 {
        while source.fill(&mut first)? {
            first.lex();
            if !take(&first) {
                return Err(ReadError::Stopped);
            }
        }
        return Ok(());
    }
    let source = Mutex::new(source);
    let (give_empty, empty) = channel::<Chunk>();
    for _ in 0..CHUNKS {
        // OK because the other end is held below.
        let _ = give_empty.send(Chunk::default());
    }
    let empty = Mutex::new(empty);
    let (give_full, full) = sync_channel(CHUNKS);
    std::thread::scope(|scope| {
        for _ in 0..cores {
            let give_full = give_full.clone();
            scope.spawn(|| work(&source, &empty, give_full));
        }
        drop(give_full);
        let mut early: BTreeMap<u64, Chunk> = BTreeMap::new();
        let mut wanted = 1;
        // Moved in, so that they close when this ends and the workers with them.
        let (full, give_empty) = (full, give_empty);
        loop {
            let got = match full.try_recv() {
                Ok(got) => got?,
                Err(TryRecvError::Disconnected) => return Ok(()),
                // Whoever would wait for the next one may as well read one.
                Err(TryRecvError::Empty) => match next_chunk(&source, &empty, false) {
                    Some(got) => got?,
                    None => match full.recv() {
                        Ok(got) => got?,
                        Err(_) => return Ok(()),
                    },
                },
            };
            early.insert(got.nth, got);
            while let Some(chunk) = early.remove(&wanted) {
                if !take(&chunk) {
                    return Err(ReadError::Stopped);
                }
                wanted += 1;
                // OK because the workers may be done already.
                let _ = give_empty.send(chunk);
            }
        }
    })
}

/// Fills and lexes the next chunk; none where the file ended or, unless this waits for one, no chunk is empty.
/// A chunk is taken before its number: whoever holds a number can always finish.
fn next_chunk<R: Read>(
    source: &Mutex<Source<R>>,
    empty: &Mutex<Receiver<Chunk>>,
    waits: bool,
) -> Option<io::Result<Chunk>> {
    let mut chunk = if waits {
        let empty = empty.lock().unwrap_or_else(PoisonError::into_inner);
        empty.recv().ok()?
    } else {
        // Whoever holds it waits for a chunk: then there is none.
        empty.try_lock().ok()?.try_recv().ok()?
    };
    let filled = source
        .lock()
        .unwrap_or_else(PoisonError::into_inner)
        .fill(&mut chunk);
    match filled {
        Ok(true) => {
            chunk.lex();
            Some(Ok(chunk))
        }
        Ok(false) => None,
        Err(e) => Some(Err(e)),
    }
}

/// Fills and lexes chunks until the file ends or nobody takes them.
#[allow(clippy::needless_pass_by_value)] // dropped with the worker: that closes the channel
fn work<R: Read>(
    source: &Mutex<Source<R>>,
    empty: &Mutex<Receiver<Chunk>>,
    full: SyncSender<io::Result<Chunk>>,
) {
    while let Some(got) = next_chunk(source, empty, true) {
        let failed = got.is_err();
        if full.send(got).is_err() || failed {
            return;
        }
    }
}
