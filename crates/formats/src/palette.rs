//! Colour models as open files, in and out: plain palettes (`.gpl`), CSS custom properties, JSON. A tone is written beside its
//! swatch, as "Skin / Shadow".

use crate::error::Error;
use rhizograph_core::model::paint::{ColourModel, MOST_TONES, Swatch, Tone, slug};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt::Write as _;

/// The largest file of colours, bytes, and the most colours in one.
pub const MOST_BYTES: usize = 1 << 20;
const MOST: usize = 4000;
/// The longest name that is kept, characters.
const LONGEST: usize = 60;

/// The files that colours are written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PaletteFile {
    Gpl,
    Css,
    Json,
}

impl PaletteFile {
    /// By the ending of a file's name.
    pub fn of(name: &str) -> Option<PaletteFile> {
        let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
        Some(match ending.as_str() {
            "gpl" => PaletteFile::Gpl,
            "css" => PaletteFile::Css,
            "json" => PaletteFile::Json,
            _ => return None,
        })
    }
}

#[derive(Serialize, Deserialize)]
struct JsonSwatch {
    #[serde(default)]
    id: String,
    name: String,
    colour: String,
    #[serde(default)]
    group: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    tones: BTreeMap<String, String>,
}

#[derive(Serialize, Deserialize)]
struct JsonModel {
    #[serde(default)]
    name: String,
    #[serde(default)]
    tones: Vec<Tone>,
    swatches: Vec<JsonSwatch>,
}

fn hex([r, g, b]: [u8; 3]) -> String {
    format!("#{r:02x}{g:02x}{b:02x}")
}

/// `#rgb`, `#rrggbb`, `rgb(r, g, b)` or `rgb(r g b)`.
fn read_colour(text: &str) -> Option<[u8; 3]> {
    let text = text.trim();
    if let Some(digits) = text.strip_prefix('#') {
        let values = digits.chars().map(|c| c.to_digit(16).map(|v| v as u8)).collect::<Option<Vec<u8>>>()?;
        return match values[..] {
            [r, g, b] => Some([r * 17, g * 17, b * 17]),
            [a, b, c, d, e, f] => Some([a * 16 + b, c * 16 + d, e * 16 + f]),
            _ => None,
        };
    }
    let inner = text.strip_prefix("rgb(")?.strip_suffix(')')?;
    let parts: Vec<&str> = inner.split([',', ' ']).filter(|p| !p.is_empty()).collect();
    let [r, g, b] = parts[..] else { return None };
    Some([r.parse().ok()?, g.parse().ok()?, b.parse().ok()?])
}

/// Every colour with its name; a tone behind its swatch.
fn named(model: &ColourModel) -> Vec<(String, [u8; 3])> {
    let mut out = Vec::new();
    for swatch in &model.swatches {
        out.push((swatch.name.clone(), swatch.colour));
        for tone in &model.tones {
            out.extend(swatch.tones.get(&tone.id).map(|c| (format!("{} / {}", swatch.name, tone.name), *c)));
        }
    }
    out
}

/// Writes a colour model. `name`: what it is of.
pub fn write(file: PaletteFile, model: &ColourModel, name: &str) -> Result<String, Error> {
    let mut out = String::new();
    match file {
        PaletteFile::Gpl => {
            let _ = write!(out, "GIMP Palette\nName: {}\nColumns: 8\n#\n", one_line(name));
            for (name, [r, g, b]) in named(model) {
                let _ = writeln!(out, "{r:3} {g:3} {b:3}\t{}", one_line(&name));
            }
        }
        PaletteFile::Css => {
            out.push_str(":root {\n");
            for swatch in &model.swatches {
                let _ = writeln!(out, "    --{}: {};", slug(&swatch.name), hex(swatch.colour));
                for tone in &model.tones {
                    if let Some(colour) = swatch.tones.get(&tone.id) {
                        let _ = writeln!(out, "    --{}--{}: {};", slug(&swatch.name), slug(&tone.name), hex(*colour));
                    }
                }
            }
            out.push_str("}\n");
        }
        PaletteFile::Json => {
            let swatch = |s: &Swatch| JsonSwatch {
                id: s.id.clone(),
                name: s.name.clone(),
                colour: hex(s.colour),
                group: s.group.clone(),
                note: s.note.clone(),
                tones: s.tones.iter().map(|(tone, c)| (tone.clone(), hex(*c))).collect(),
            };
            let model = JsonModel {
                name: name.to_owned(),
                tones: model.tones.clone(),
                swatches: model.swatches.iter().map(swatch).collect(),
            };
            out = serde_json::to_string_pretty(&model).map_err(|e| Error::Write(e.to_string()))?;
            out.push('\n');
        }
    }
    Ok(out)
}

fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

fn cut(name: &str) -> String {
    one_line(name).trim().chars().take(LONGEST).collect()
}

/// Adds a colour to a model: a swatch, or a tone of the swatch before it.
fn add(model: &mut ColourModel, name: &str, colour: [u8; 3], parted: &str) {
    if let Some((base, tone)) = name.rsplit_once(parted)
        && let Some(swatch) = model.swatches.iter_mut().find(|s| s.name == base.trim())
    {
        let (id, name) = (slug(tone), cut(tone));
        if !model.tones.iter().any(|t| t.id == id) {
            model.tones.push(Tone { id: id.clone(), name });
        }
        swatch.tones.insert(id, colour);
        return;
    }
    let name = if cut(name).is_empty() { hex(colour) } else { cut(name) };
    model.add(Swatch::new(&name, colour));
}

/// Reads a colour model. Errors: it is no such file, holds no colour, or too many.
pub fn read(file: PaletteFile, bytes: &[u8]) -> Result<ColourModel, Error> {
    if bytes.len() > MOST_BYTES {
        return Err(Error::Palette("a file of colours has up to 1 MiB".into()));
    }
    let text = std::str::from_utf8(bytes).map_err(|_| Error::Palette("it is not text".into()))?;
    let mut model = ColourModel::default();
    match file {
        PaletteFile::Gpl => {
            let mut lines = text.lines();
            if lines.next().map(|l| l.trim_start_matches('\u{feff}').trim()) != Some("GIMP Palette") {
                return Err(Error::Palette("it is no palette".into()));
            }
            for line in lines.take(MOST + 16) {
                let mut rest = line.trim();
                let mut colour = [0u8; 3];
                let mut is_colour = true;
                for c in &mut colour {
                    let end = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
                    match rest[..end].parse() {
                        Ok(v) => *c = v,
                        Err(_) => is_colour = false,
                    }
                    rest = rest[end..].trim_start();
                }
                if is_colour {
                    add(&mut model, rest, colour, " / ");
                }
            }
        }
        PaletteFile::Css => {
            for part in without_comments(text).split([';', '{', '}']).take(4 * MOST) {
                let Some((name, value)) = part.split_once(':') else { continue };
                let (Some(name), Some(colour)) = (name.trim().strip_prefix("--"), read_colour(value)) else { continue };
                let spoken = |n: &str| {
                    let words = n.replace('-', " ");
                    let mut chars = words.chars();
                    chars.next().map(|c| c.to_uppercase().chain(chars).collect::<String>()).unwrap_or_default()
                };
                match name.split_once("--") {
                    Some((base, tone)) => {
                        add(&mut model, &format!("{} / {}", spoken(base), spoken(tone)), colour, " / ");
                    }
                    None => add(&mut model, &spoken(name), colour, " / "),
                }
            }
        }
        PaletteFile::Json => {
            let told: JsonModel = serde_json::from_str(text).map_err(|e| Error::Palette(e.to_string()))?;
            let wrong = |what: &str| Error::Palette(format!("{what} is no colour"));
            for tone in told.tones.into_iter().take(MOST_TONES) {
                model.tones.push(Tone { id: slug(&tone.id), name: cut(&tone.name) });
            }
            for s in told.swatches.into_iter().take(MOST) {
                let mut swatch = Swatch::new(&cut(&s.name), read_colour(&s.colour).ok_or_else(|| wrong(&s.colour))?);
                if !s.id.is_empty() {
                    swatch.id = slug(&s.id);
                }
                (swatch.group, swatch.note) = (cut(&s.group), s.note.chars().take(400).collect());
                for (tone, colour) in s.tones {
                    let colour = read_colour(&colour).ok_or_else(|| wrong(&colour))?;
                    if model.tones.iter().any(|t| t.id == tone) {
                        swatch.tones.insert(tone, colour);
                    }
                }
                model.add(swatch);
            }
        }
    }
    if model.swatches.is_empty() {
        return Err(Error::Palette("it holds no colour".into()));
    }
    model.swatches.truncate(MOST);
    Ok(model)
}

fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(from) = rest.find("/*") {
        out.push_str(&rest[..from]);
        rest = rest[from + 2..].find("*/").map_or("", |to| &rest[from + 2 + to + 2..]);
    }
    out.push_str(rest);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn model() -> ColourModel {
        let mut model = ColourModel::default();
        for (name, colour) in [("Shell plate", [158, 178, 110]), ("Skin", [217, 182, 122])] {
            model.add(Swatch::new(name, colour));
        }
        model.tones = vec![Tone { id: "shadow".into(), name: "Shadow".into() }];
        model.swatches[1].tones.insert("shadow".into(), [185, 143, 88]);
        model
    }

    #[test]
    fn what_is_written_is_read_again() {
        for file in [PaletteFile::Gpl, PaletteFile::Css, PaletteFile::Json] {
            let text = write(file, &model(), "Marrow, day").unwrap();
            assert_eq!(read(file, text.as_bytes()).unwrap(), model(), "{text}");
        }
        let mut whole = model();
        (whole.swatches[0].group, whole.swatches[0].note) = ("Shell".into(), "wet: one tone darker".into());
        let text = write(PaletteFile::Json, &whole, "Marrow").unwrap();
        assert_eq!(read(PaletteFile::Json, text.as_bytes()).unwrap(), whole);
    }

    #[test]
    fn names_that_meet_stay_apart_and_odd_lines_are_passed_over() {
        let text = "GIMP Palette\nName: Two\n# a remark\n 1 2 3 Red\n4 5 6\tRed\n7 8 9\n300 1 2 far\nRed 1 2 3\n";
        let read = read(PaletteFile::Gpl, text.as_bytes()).unwrap();
        let told: Vec<(&str, [u8; 3])> = read.swatches.iter().map(|s| (s.name.as_str(), s.colour)).collect();
        assert_eq!(told, [("Red", [1, 2, 3]), ("Red", [4, 5, 6]), ("#070809", [7, 8, 9])]);
        assert_ne!(read.swatches[0].id, read.swatches[1].id);
    }

    #[test]
    fn css_is_read_as_it_is_written_by_others() {
        let css = "/* ours */ :root{--sea-wall:#ABC;--a:1px} .x{ --post-cap : rgb(72, 98 ,140); color:#fff }/* open";
        let read = read(PaletteFile::Css, css.as_bytes()).unwrap();
        let told: Vec<(&str, [u8; 3])> = read.swatches.iter().map(|s| (s.name.as_str(), s.colour)).collect();
        assert_eq!(told, [("Sea wall", [170, 187, 204]), ("Post cap", [72, 98, 140])]);
    }

    #[test]
    fn what_is_none_is_refused() {
        for (file, text) in [
            (PaletteFile::Gpl, "1 2 3 Red"),
            (PaletteFile::Gpl, "GIMP Palette\nName: bare\n"),
            (PaletteFile::Css, "a { color: red }"),
            (PaletteFile::Json, "{}"),
            (PaletteFile::Json, r#"{"swatches": [{"name": "x", "colour": "reddish"}]}"#),
        ] {
            assert!(read(file, text.as_bytes()).is_err(), "{text}");
        }
        assert!(read(PaletteFile::Css, &[0xff, 0xfe]).is_err());
        assert!(read(PaletteFile::Gpl, &vec![b' '; MOST_BYTES + 1]).is_err());
    }
}
