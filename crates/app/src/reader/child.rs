//! The side of the process that reads a file: the question and the file come in, the answer goes out.

use super::cage;
use super::question::{Answer, Asked};
use crate::intake;
use rhizograph_core::raster::plane::Rgb;
use rhizograph_formats::Input;
use std::io::{Read, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};

/// Reads the file that is given, within the cage of so many bytes, and answers. Errors: nobody asks or listens.
pub fn run(memory: u64) -> Result<(), Box<dyn std::error::Error>> {
    cage::close(memory)?;
    let mut from = std::io::stdin().lock();
    let mut length = [0; 4];
    from.read_exact(&mut length)?;
    let mut question = vec![0; u32::from_le_bytes(length) as usize];
    from.read_exact(&mut question)?;
    let asked: Asked = serde_json::from_slice(&question)?;
    let mut file = Vec::new();
    from.read_to_end(&mut file)?;
    let answering = catch_unwind(AssertUnwindSafe(|| answer(&asked, file)));
    let broke_off = || (Answer::Refused("the file is damaged: its reader broke off".into()), Vec::new());
    let (answer, pixels) = answering.unwrap_or_else(|_| broke_off());
    let told = serde_json::to_vec(&answer)?;
    let mut to = std::io::stdout().lock();
    to.write_all(&(told.len() as u32).to_le_bytes())?;
    to.write_all(&told)?;
    to.write_all(pixels.as_flattened())?;
    Ok(to.flush()?)
}

fn answer(asked: &Asked, file: Vec<u8>) -> (Answer, Vec<Rgb>) {
    match asked {
        Asked::Drawing { file_name, pegs } => match intake::new_drawing(file_name, &file, *pegs) {
            Ok(drawing) => (Answer::Drawing(Box::new(drawing)), Vec::new()),
            Err(e) => (Answer::Refused(e.to_string()), Vec::new()),
        },
        Asked::Contents(how) => {
            let read = rhizograph_formats::read(&file, *how);
            drop(file);
            match read {
                Ok(Input::Raster(r)) => {
                    let (width, height) = (r.rgb.width, r.rgb.height);
                    (Answer::Raster { width, height, dpi: r.dpi, notes: r.notes }, r.rgb.data)
                }
                Ok(Input::Vector(v)) => (Answer::Vector(Box::new(v)), Vec::new()),
                Err(e) => (Answer::Refused(e.to_string()), Vec::new()),
            }
        }
    }
}
