//! The side of the process that reads a file: the question and the file come in, the answer goes out.

use super::cage;
use super::question::{Answer, Asked};
use crate::intake;
use rhizograph_core::raster::plane::Rgb;
use rhizograph_formats::raster_in::Rows;
use rhizograph_formats::{Got, Input};
use rustix::io::retry_on_intr;
use std::io::Read;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// How much of a picture goes out at a time, bytes.
const AT_A_TIME: usize = 1 << 18;

/// The most of a file that room is made for before it comes in, bytes.
const ROOM: u64 = 1 << 28;

/// Reads the file that is given, within the cage of so many bytes, and answers. Errors: nobody asks or listens.
pub fn run(memory: u64) -> Result<(), Box<dyn std::error::Error>> {
    cage::close(memory)?;
    let mut from = std::io::stdin().lock();
    let mut lengths = [0; 12];
    from.read_exact(&mut lengths)?;
    let [question, file] =
        [&lengths[..4], &lengths[4..]].map(|l| l.iter().rev().fold(0, |n, b| n << 8 | u64::from(*b)));
    let mut asked = vec![0; question as usize];
    from.read_exact(&mut asked)?;
    let asked: Asked = serde_json::from_slice(&asked)?;
    let mut bytes = Vec::with_capacity(file.min(ROOM) as usize);
    from.read_to_end(&mut bytes)?;
    let mut out = Outgoing::default();
    let answering = catch_unwind(AssertUnwindSafe(|| answer(&asked, bytes, &mut out)));
    let broke_off = || Answer::Refused("the file is damaged: its reader broke off".into());
    let answer = answering.unwrap_or_else(|_| broke_off());
    Ok(out.end(&answer)?)
}

/// What goes out: answers, and between them the pixels of a picture as they come.
#[derive(Default)]
struct Outgoing {
    waiting: Vec<u8>,
    /// How many bytes of pixels were told and have not come yet.
    due: usize,
    /// What went wrong meanwhile.
    broken: Option<rustix::io::Errno>,
}

impl Outgoing {
    fn tell(&mut self, answer: &Answer) {
        match serde_json::to_vec(answer) {
            Ok(told) => self.put(&[&(told.len() as u32).to_le_bytes()[..], &told]),
            Err(_) => self.broken = Some(rustix::io::Errno::INVAL),
        }
    }

    fn put(&mut self, parts: &[&[u8]]) {
        parts.iter().for_each(|p| self.waiting.extend_from_slice(p));
        if self.waiting.len() >= AT_A_TIME {
            self.flush();
        }
    }

    /// Writes what waits to standard output as it is: that of the library looks for ends of lines in it.
    fn flush(&mut self) {
        let mut rest = &self.waiting[..];
        while !rest.is_empty() && self.broken.is_none() {
            match retry_on_intr(|| rustix::io::write(std::io::stdout(), rest)) {
                Ok(n) => rest = &rest[n..],
                Err(e) => self.broken = Some(e),
            }
        }
        self.waiting.clear();
    }

    /// Ends with an answer; pixels that were told and did not come are made up before it.
    fn end(mut self, answer: &Answer) -> rustix::io::Result<()> {
        let nothing = [0; 1 << 12];
        while self.due > 0 && self.broken.is_none() {
            let n = self.due.min(nothing.len());
            self.put(&[&nothing[..n]]);
            self.due -= n;
        }
        self.tell(answer);
        self.flush();
        self.broken.map_or(Ok(()), Err)
    }
}

impl Rows for Outgoing {
    fn begin(&mut self, width: usize, height: usize) {
        self.tell(&Answer::Raster { width, height });
        self.due = width * height * size_of::<Rgb>();
    }

    fn row(&mut self, row: &[Rgb]) {
        // No more than was told, whatever the file makes of its decoder.
        let bytes = &row.as_flattened()[..size_of_val(row).min(self.due)];
        self.due -= bytes.len();
        self.put(&[bytes]);
    }
}

fn answer(asked: &Asked, file: Vec<u8>, out: &mut Outgoing) -> Answer {
    match asked {
        Asked::Drawing { file_name, pegs, page } => match intake::new_page(file_name, &file, *pegs, *page) {
            Ok(drawing) => Answer::Drawing(Box::new(drawing)),
            Err(e) => Answer::Refused(e.to_string()),
        },
        Asked::Layers => match rhizograph_formats::layers(&file) {
            Ok(layers) => Answer::Layers(layers),
            Err(e) => Answer::Refused(e.to_string()),
        },
        Asked::Contents(how) => {
            let got = rhizograph_formats::read_in_rows(&file, how.clone(), out);
            drop(file);
            match got {
                Ok(Got::Rows(told)) => Answer::Read { dpi: told.dpi, notes: told.notes },
                Ok(Got::Whole(Input::Raster(r))) => {
                    out.begin(r.rgb.width, r.rgb.height);
                    r.rgb.data.chunks(r.rgb.width.max(1)).for_each(|row| out.row(row));
                    Answer::Read { dpi: r.dpi, notes: r.notes }
                }
                Ok(Got::Whole(Input::Vector(v))) => Answer::Vector(Box::new(v)),
                Err(e) => Answer::Refused(e.to_string()),
            }
        }
    }
}
