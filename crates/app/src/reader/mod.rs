//! Files from outside are read in a process of their own, so that none can harm the program: with limits of memory, time
//! and open files, nothing else to open and no network. If that process dies, its death is the answer.

mod cage;
mod child;
mod question;

pub use child::run;

use question::{Answer, Asked};

use crate::intake::NewDrawing;
use rhizograph_core::intake::Marks;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_formats::raster_in::Raster;
use rhizograph_formats::{Input, MOST_PIXELS, Reading};
use rustix::pipe::fcntl_setpipe_size;
use std::io::{Read, Write};
use std::os::unix::process::ExitStatusExt;
use std::process::{Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Condvar, Mutex, PoisonError, mpsc};
use std::time::{Duration, Instant};

/// How much a pipe to a reader holds, bytes.
const PIPE: usize = 1 << 20;

/// How many files of a kind are read at a time.
const AT_A_TIME: usize = 2;

/// Which files are read: those that come in must not hold up those that came in before.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Room {
    ComingIn,
    Again,
}

impl Room {
    /// How long reading one may take, by the clock: thousands of lines come in on a busy machine, too, and what came in before
    /// opens there.
    fn longest(self) -> Duration {
        let coming_in = Duration::from_secs(LONGEST.load(Ordering::Relaxed));
        match self {
            Room::ComingIn => coming_in,
            Room::Again => 3 * coming_in,
        }
    }
}

/// How long reading a file that comes in may take, s.
static LONGEST: AtomicU64 = AtomicU64::new(30);

/// Gives files that come in another time to be read in, s; what came in before gets three times as much.
pub fn give_time(seconds: u64) {
    LONGEST.store(seconds, Ordering::Relaxed);
}

#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// What is wrong with the file.
    #[error("{0}")]
    Refused(String),
    #[error("the file could not be read: {0}")]
    Process(#[from] std::io::Error),
}

/// Reads a file that comes in and makes a drawing of it. `pegs`: where the shot's sheets have the marks of their peg
/// holes, if one has them already. Errors: what is wrong with the file, and that it takes more than is given to one.
pub fn drawing(file_name: &str, file: &[u8], pegs: Option<Marks>) -> Result<NewDrawing, Error> {
    page(file_name, file, pegs, 0)
}

/// The same of a page of the file, from 1 on; 0: the first, if there are several.
pub fn page(file_name: &str, file: &[u8], pegs: Option<Marks>, page: u32) -> Result<NewDrawing, Error> {
    let asked = Asked::Drawing { file_name: file_name.to_owned(), pegs, page };
    match ask(&asked, file, Room::ComingIn)?.0 {
        Answer::Drawing(drawing) => Ok(*drawing),
        Answer::Refused(why) => Err(Error::Refused(why)),
        _ => Err(broke_off()),
    }
}

/// Reads the picture or the lines in a file.
pub fn contents(file: &[u8], how: Reading) -> Result<Input, Error> {
    match ask(&Asked::Contents(how), file, Room::Again)? {
        (Answer::Read { dpi, notes }, Some(rgb)) => Ok(Input::Raster(Raster { rgb, dpi, notes })),
        (Answer::Vector(v), _) => Ok(Input::Vector(*v)),
        (Answer::Refused(why), _) => Err(Error::Refused(why)),
        _ => Err(broke_off()),
    }
}

/// The names of a file's layers, the topmost first; none of a file without such.
pub fn layers(file: &[u8]) -> Result<Vec<String>, Error> {
    match ask(&Asked::Layers, file, Room::Again)?.0 {
        Answer::Layers(layers) => Ok(layers),
        Answer::Refused(why) => Err(Error::Refused(why)),
        _ => Err(broke_off()),
    }
}

fn broke_off() -> Error {
    Error::Refused("its reader broke off".into())
}

/// The program that reads files: this one as it runs, even where a newer one took its place on disk meanwhile.
const THIS_PROGRAM: &str = "/proc/self/exe";

/// How much memory a reader may hold, bytes, as addresses: its stacks count, too. Several share what one alone may have.
const MEMORY: u64 = 600_000_000;
const MEMORY_ALONE: u64 = 880_000_000;

/// A text so long, bytes, holds thousands of lines: that it would not fit beside another is known before.
const TEXT_ALONE: usize = 1 << 21;

/// Whether a file is text, by its beginning: every picture's has a zero there.
fn is_text(file: &[u8]) -> bool {
    !file[..file.len().min(64)].contains(&0)
}

/// Asks a new process. One that needs more memory than several may have beside each other is asked once more, alone.
fn ask(asked: &Asked, file: &[u8], room: Room) -> Result<Answered, Error> {
    let longest = room.longest();
    let mut left = longest;
    if file.len() < TEXT_ALONE || !is_text(file) {
        let _places = Places::take(room, 1);
        let began = Instant::now();
        let death = match ask_once(asked, file, longest, MEMORY)? {
            Ok(answer) => return Ok(answer),
            Err(death) => death,
        };
        left = longest.saturating_sub(began.elapsed());
        if death != Death::Memory || left.is_zero() {
            return Err(Error::Refused(death.told(longest)));
        }
    }
    let _places = Places::take(room, AT_A_TIME);
    ask_once(asked, file, left, MEMORY_ALONE)?.map_err(|death| Error::Refused(death.told(longest)))
}

/// Asks a new process, which is ended when it takes too long; how it died, if it gave no answer.
fn ask_once(asked: &Asked, file: &[u8], longest: Duration, memory: u64) -> Result<Result<Answered, Death>, Error> {
    let mut child = Command::new(THIS_PROGRAM)
        .args(["read-file", "--memory", &memory.to_string()])
        // It needs nothing of what this process knows.
        .env_clear()
        .envs(cage::ENVIRONMENT)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()?;
    let (Some(mut to), Some(mut from)) = (child.stdin.take(), child.stdout.take()) else {
        return Err(broke_off());
    };
    // Where it may not be larger it takes longer, no more.
    let _ = (fcntl_setpipe_size(&to, PIPE), fcntl_setpipe_size(&from, PIPE));
    let question = serde_json::to_vec(asked).map_err(std::io::Error::other)?;
    let child = Mutex::new(child);
    let (ended, waits) = mpsc::channel::<()>();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            // Of what it does not take it says why.
            let _ = to.write_all(&(question.len() as u32).to_le_bytes());
            let _ = to.write_all(&(file.len() as u64).to_le_bytes());
            let _ = to.write_all(&question);
            let _ = to.write_all(file);
        });
        let (child_of, longest_of) = (&child, longest);
        let guard = scope.spawn(move || {
            let is_late = waits.recv_timeout(longest_of) == Err(mpsc::RecvTimeoutError::Timeout);
            if is_late {
                let _ = child_of.lock().unwrap_or_else(PoisonError::into_inner).kill();
            }
            is_late
        });
        let answered = read_answer(&mut from);
        // What reads no more is not written to any longer.
        drop(from);
        let _ = ended.send(());
        let is_late = guard.join().unwrap_or(false);
        let mut child = child.lock().unwrap_or_else(PoisonError::into_inner);
        if answered.is_none() {
            let _ = child.kill();
        }
        let status = child.wait()?;
        Ok(answered.ok_or_else(|| Death::of(status, is_late)))
    })
}

/// What a reader answered at last, and the picture before that.
type Answered = (Answer, Option<Plane<Rgb>>);

/// The next answer; `None` if it ended before.
fn read_next(from: &mut impl Read) -> Option<Answer> {
    let mut length = [0; 4];
    from.read_exact(&mut length).ok()?;
    let mut answer = vec![0; u32::from_le_bytes(length) as usize];
    from.read_exact(&mut answer).ok()?;
    serde_json::from_slice(&answer).ok()
}

/// The last answer and the picture before it; `None` if it ended before, goes on behind it or tells of more than is read.
fn read_answer(from: &mut impl Read) -> Option<Answered> {
    let mut answered = (read_next(from)?, None);
    if let Answer::Raster { width, height } = answered.0 {
        let count = width.checked_mul(height).filter(|&n| n as u64 <= MOST_PIXELS)?;
        let mut data: Vec<Rgb> = Vec::with_capacity(count);
        let mut part = vec![[0; 3]; PIPE / size_of::<Rgb>()];
        while data.len() < count {
            let here = part.len().min(count - data.len());
            from.read_exact(part[..here].as_flattened_mut()).ok()?;
            data.extend_from_slice(&part[..here]);
        }
        answered = (read_next(from)?, Some(Plane { width, height, data }));
    }
    (from.read(&mut [0]).ok()? == 0).then_some(answered)
}

/// How a process that reads a file died.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Death {
    Late,
    Computing,
    /// Out of memory, or of stack.
    Memory,
    BrokeOff,
}

impl Death {
    fn of(status: ExitStatus, is_late: bool) -> Death {
        match status.signal() {
            _ if is_late => Death::Late,
            Some(libc::SIGXCPU) => Death::Computing,
            Some(libc::SIGABRT | libc::SIGKILL | libc::SIGSEGV | libc::SIGBUS) => Death::Memory,
            _ => Death::BrokeOff,
        }
    }

    /// What it says of the file.
    fn told(self, longest: Duration) -> String {
        let why = match self {
            Death::Late => format!("it was not read after {:.0} s", longest.as_secs_f64().ceil()),
            Death::Computing => format!("more than {} s of computing", cage::MOST_SECONDS),
            Death::Memory => {
                format!("more than {} MB of memory, or its parts hold one another too deep", MEMORY_ALONE / 1_000_000)
            }
            Death::BrokeOff => return "the file is damaged: its reader broke off".to_owned(),
        };
        format!("this file takes more than is given to one: {why}")
    }
}

/// Some of the places at which files of a kind are read.
struct Places(Room, usize);

/// How many are taken of each kind.
static TAKEN: Mutex<[usize; 2]> = Mutex::new([0; 2]);
static FREED: Condvar = Condvar::new();

impl Places {
    /// Waits until so many are free.
    fn take(room: Room, count: usize) -> Places {
        let taken = TAKEN.lock().unwrap_or_else(PoisonError::into_inner);
        let is_full = |taken: &mut [usize; 2]| taken[room as usize] + count > AT_A_TIME;
        let mut taken = FREED.wait_while(taken, is_full).unwrap_or_else(PoisonError::into_inner);
        taken[room as usize] += count;
        Places(room, count)
    }
}

impl Drop for Places {
    fn drop(&mut self) {
        TAKEN.lock().unwrap_or_else(PoisonError::into_inner)[self.0 as usize] -= self.1;
        FREED.notify_all();
    }
}
