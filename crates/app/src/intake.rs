//! A file that comes in made a drawing: laid out by what can be told of the picture by itself.

use rhizograph_core::geom::{Bounds, Pt, pt};
use rhizograph_core::intake::{Layout, find_corners, find_pegs, lay_out};
use rhizograph_core::model::recipe::{IntakeRecipe, Register};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::scene::Scene;
use rhizograph_formats::{Input, Reading};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fmt::Write as _;
use std::time::{Duration, Instant};

/// The resolution of a picture that does not tell one.
pub const USUAL_DPI: f64 = 300.0;

/// A drawing that is about to be added.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct NewDrawing {
    pub name: String,
    pub file_name: String,
    pub sha256: String,
    /// What of the file is missing or was left out, in words.
    pub notes: Vec<String>,
    pub sheet: Sheet,
}

/// Reads a file that comes in and makes a drawing of it. The name without its ending is the drawing's. `pegs`: where the
/// shot's sheets have the marks of their peg holes, if one has them already.
pub fn new_drawing(
    file_name: &str,
    bytes: &[u8],
    pegs: Option<[Pt; 2]>,
) -> Result<NewDrawing, rhizograph_formats::Error> {
    let input = rhizograph_formats::read(bytes, Reading::default())?;
    let dpi = USUAL_DPI;
    let mut notes = Vec::new();
    let sheet = match input {
        Input::Raster(r) => {
            notes = r.notes;
            let mut sheet = Sheet::new(r.rgb.width, r.rgb.height, r.dpi.unwrap_or(dpi));
            sheet.dpi_assumed = r.dpi.is_none();
            let intake = laid_out_by_itself(&r.rgb, sheet.dpi, pegs);
            if let Ok(layout) = Layout::of(&intake, r.rgb.width, r.rgb.height) {
                (sheet.width, sheet.height) = (layout.width, layout.height);
                sheet.recipes.intake = intake;
            }
            sheet
        }
        Input::Vector(v) => {
            let mut sheet = Sheet::new(v.width, v.height, dpi);
            sheet.next_id = v.lines.len() as u64 + 1;
            sheet.lines = v.lines;
            sheet.traced = Some(Box::new(sheet.tracing()));
            can_be_opened(&sheet)?;
            sheet
        }
    };
    let stem = std::path::Path::new(file_name)
        .file_stem()
        .map_or_else(|| "drawing".into(), |s| s.to_string_lossy().into_owned());
    let name: String = stem.chars().filter(|c| !c.is_control()).take(80).collect();
    let sha256 = Sha256::digest(bytes).iter().fold(String::new(), |mut s, b| {
        let _ = write!(s, "{b:02x}");
        s
    });
    let file_name = file_name.chars().filter(|c| !c.is_control()).take(200).collect();
    Ok(NewDrawing { name, file_name, sha256, notes, sheet })
}

/// How long opening vector art may take.
const LONGEST_OPENING: Duration = Duration::from_secs(8);

/// Opens vector art as it will be opened to work on. Errors: it takes too long, or has more regions than are told apart.
fn can_be_opened(sheet: &Sheet) -> Result<(), rhizograph_formats::Error> {
    let began = Instant::now();
    let blank = Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]);
    let scene = Scene::of(sheet, &blank);
    let too_much = |why: String| Err(rhizograph_formats::Error::TooMuch(why));
    if scene.regions.beyond() > 0 {
        let all = scene.regions.len() + scene.regions.beyond();
        return too_much(format!("its lines enclose {all} regions; {} can be told apart", scene.regions.len()));
    }
    if began.elapsed() > LONGEST_OPENING {
        return too_much(format!("finding its {} regions takes too long to work on it", scene.regions.len()));
    }
    Ok(())
}

/// What can be told of a picture by itself: paper on a darker ground is squared up, peg holes register it.
fn laid_out_by_itself(rgb: &Plane<Rgb>, dpi: f64, pegs: Option<[Pt; 2]>) -> IntakeRecipe {
    let corners = find_corners(rgb).map(|c| c.map(Pt::snapped));
    let squared = IntakeRecipe { corners, ..IntakeRecipe::default() };
    let Ok(layout) = Layout::of(&squared, rgb.width, rgb.height) else {
        return IntakeRecipe::default();
    };
    let found = match corners {
        None => find_pegs(rgb, dpi),
        Some(_) => lay_out(rgb.clone(), &squared).ok().and_then(|square| find_pegs(&square, dpi)),
    };
    let Some(found) = found else {
        return squared;
    };
    // Holes are covered on the original: the box around where each one's corners are there.
    let on_original = |[x, y, w, h]: [f64; 4]| {
        let corners = [pt(x, y), pt(x + w, y), pt(x + w, y + h), pt(x, y + h)].map(|p| layout.to_original.map(p));
        let b = Bounds::of(&corners);
        [b.min.x.floor(), b.min.y.floor(), (b.max.x - b.min.x).ceil(), (b.max.y - b.min.y).ceil()]
    };
    let from = found.marks().map(Pt::snapped);
    let to = pegs.unwrap_or_else(|| level(from));
    IntakeRecipe {
        holes: found.boxes.map(on_original).to_vec(),
        register: Some(Register { from, to, pegs: true }),
        ..squared
    }
}

/// Two marks brought level (or upright) about their middle.
pub fn level(from: [Pt; 2]) -> [Pt; 2] {
    let (middle, half) = (from[0].lerp(from[1], 0.5), from[0].dist(from[1]) / 2.0);
    let d = from[1] - from[0];
    let along = if d.x.abs() > d.y.abs() { pt(half * d.x.signum(), 0.0) } else { pt(0.0, half * d.y.signum()) };
    [(middle - along).snapped(), (middle + along).snapped()]
}
