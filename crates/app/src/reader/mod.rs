//! Files from outside are read in a process of their own, so that none can harm the program: with limits of memory, time
//! and open files, nothing else to open and no network. If that process dies, its death is the answer.

mod cage;
mod child;

pub use child::run;

use crate::intake::NewDrawing;
use rhizograph_core::geom::Pt;
use rhizograph_core::line::Line;
use rhizograph_core::plane::Plane;
use rhizograph_formats::raster_in::Raster;
use rhizograph_formats::svg_in::Vector;
use rhizograph_formats::{Input, Reading};
use serde::{Deserialize, Serialize};
use std::io::{Read, Write};
use std::os::unix::process::ExitStatusExt;
use std::path::PathBuf;
use std::process::{Command, ExitStatus, Stdio};
use std::sync::{Arc, Condvar, Mutex, PoisonError, mpsc};
use std::time::Duration;

/// How many files are read at a time.
const AT_A_TIME: usize = 2;
/// How long reading a file that comes in may take.
const LONGEST_INTAKE: Duration = Duration::from_millis(8500);
/// How long reading may take what came in before: on a busy machine, too, it is to open.
const LONGEST_AGAIN: Duration = Duration::from_secs(90);

#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// What is wrong with the file.
    #[error("{0}")]
    Refused(String),
    #[error("the file could not be read: {0}")]
    Process(#[from] std::io::Error),
}

/// What is asked of the process that reads a file.
#[derive(Debug, Clone, Serialize, Deserialize)]
enum Asked {
    /// A drawing to be made of it.
    Drawing { file_name: String, pegs: Option<[Pt; 2]> },
    /// The picture or the lines in it.
    Contents(Reading),
}

/// What that process answers. The pixels of a picture come after it.
#[derive(Debug, Serialize, Deserialize)]
enum Answer {
    Drawing(Box<NewDrawing>),
    Raster { width: usize, height: usize, dpi: Option<f64>, notes: Vec<String> },
    Vector { width: usize, height: usize, lines: Vec<Arc<Line>> },
    Refused(String),
}

/// Reads a file that comes in and makes a drawing of it. `pegs`: where the shot's sheets have the marks of their peg
/// holes, if one has them already. Errors: what is wrong with the file, and that it takes more than is given to one.
pub fn drawing(file_name: &str, file: &[u8], pegs: Option<[Pt; 2]>) -> Result<NewDrawing, Error> {
    let asked = Asked::Drawing { file_name: file_name.to_owned(), pegs };
    match ask(&asked, file, LONGEST_INTAKE)?.0 {
        Answer::Drawing(drawing) => Ok(*drawing),
        Answer::Refused(why) => Err(Error::Refused(why)),
        Answer::Raster { .. } | Answer::Vector { .. } => Err(broke_off()),
    }
}

/// Reads the picture or the lines in a file.
pub fn contents(file: &[u8], how: Reading) -> Result<Input, Error> {
    match ask(&Asked::Contents(how), file, LONGEST_AGAIN)? {
        (Answer::Raster { width, height, dpi, notes }, pixels) if pixels.len() == 3 * width * height => {
            let data = pixels.as_chunks::<3>().0.to_vec();
            Ok(Input::Raster(Raster { rgb: Plane { width, height, data }, dpi, notes }))
        }
        (Answer::Vector { width, height, lines }, _) => Ok(Input::Vector(Vector { width, height, lines })),
        (Answer::Refused(why), _) => Err(Error::Refused(why)),
        (Answer::Raster { .. } | Answer::Drawing(_), _) => Err(broke_off()),
    }
}

fn broke_off() -> Error {
    Error::Refused("its reader broke off".into())
}

/// The program that reads files: this one, unless `RHIZOGRAPH_PROGRAM` names another (tests are programs of their own).
fn program() -> std::io::Result<PathBuf> {
    std::env::var_os("RHIZOGRAPH_PROGRAM").map_or_else(std::env::current_exe, |p| Ok(p.into()))
}

/// Asks a new process, which is ended when it takes too long.
fn ask(asked: &Asked, file: &[u8], longest: Duration) -> Result<(Answer, Vec<u8>), Error> {
    let _place = Place::take();
    let mut child = Command::new(program()?)
        .arg("read-file")
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
    let question = serde_json::to_vec(asked).map_err(std::io::Error::other)?;
    let child = Mutex::new(child);
    let (ended, waits) = mpsc::channel::<()>();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            // Of what it does not take it says why.
            let _ = to.write_all(&(question.len() as u32).to_le_bytes());
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
        answered.ok_or_else(|| Error::Refused(death(status, is_late, longest)))
    })
}

/// The answer and what comes after it; `None` if it ended before.
fn read_answer(from: &mut impl Read) -> Option<(Answer, Vec<u8>)> {
    let mut length = [0; 4];
    from.read_exact(&mut length).ok()?;
    let mut answer = vec![0; u32::from_le_bytes(length) as usize];
    from.read_exact(&mut answer).ok()?;
    let answer = serde_json::from_slice(&answer).ok()?;
    let mut pixels = Vec::new();
    if let Answer::Raster { width, height, .. } = answer {
        pixels.reserve_exact(3 * width * height);
    }
    from.read_to_end(&mut pixels).ok()?;
    Some((answer, pixels))
}

/// What the death of a process that reads a file says of the file.
fn death(status: ExitStatus, is_late: bool, longest: Duration) -> String {
    let seconds = longest.as_secs_f64().ceil();
    match status.signal() {
        _ if is_late => format!("this file takes more than is given to one: it was not read after {seconds} s"),
        Some(libc::SIGXCPU) => format!("this file takes more than is given to one: more than {} s", cage::MOST_SECONDS),
        Some(libc::SIGABRT | libc::SIGKILL) => {
            format!(
                "this file takes more than is given to one: more than {} MB of memory",
                cage::MOST_MEMORY / 1_000_000
            )
        }
        Some(libc::SIGSEGV | libc::SIGBUS) => {
            "this file takes more than is given to one: its parts hold one another too deep".to_owned()
        }
        _ => "the file is damaged: its reader broke off".to_owned(),
    }
}

/// One of the places at which files are read.
struct Place;

static TAKEN: Mutex<usize> = Mutex::new(0);
static FREED: Condvar = Condvar::new();

impl Place {
    fn take() -> Place {
        let taken = TAKEN.lock().unwrap_or_else(PoisonError::into_inner);
        let mut taken = FREED.wait_while(taken, |n| *n >= AT_A_TIME).unwrap_or_else(PoisonError::into_inner);
        *taken += 1;
        Place
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        *TAKEN.lock().unwrap_or_else(PoisonError::into_inner) -= 1;
        FREED.notify_one();
    }
}
