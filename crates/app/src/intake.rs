//! A file that comes in made a drawing: laid out by what can be told of the picture by itself.

use crate::api::Progress;
use crate::progress;
use rhizograph_core::intake::{Layout, Marks, by_itself};
use rhizograph_core::model::paint::ColourModel;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::svg::Vector;
use rhizograph_formats::{Input, MOST_PIXELS, MOST_SIDE, Reading};
use rustix::time::{ClockId, clock_gettime};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fmt::Write as _;
use std::time::Duration;

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
    /// How far it is as it comes in.
    #[serde(default)]
    pub progress: Progress,
    pub sheet: Sheet,
    /// The swatches that its file brought.
    #[serde(default)]
    pub colours: ColourModel,
    /// Which page of its file it is, from 1 on, and how many there are; 0: the file is one drawing.
    #[serde(default)]
    pub page: [u32; 2],
}

/// A bare sheet to draw on, with vector art without lines for its original. Errors: larger than any sheet, or without size.
pub fn blank(
    name: &str,
    [width, height]: [u32; 2],
    dpi: f64,
) -> Result<(NewDrawing, Vec<u8>), rhizograph_formats::Error> {
    let pixels = u64::from(width) * u64::from(height);
    if width.max(height) > MOST_SIDE || pixels == 0 || pixels > MOST_PIXELS {
        return Err(rhizograph_formats::Error::TooManyPixels(width, height));
    }
    let bytes = format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}"/>"#).into_bytes();
    let file_name = format!("{name}.svg");
    let mut drawing = new_drawing(&file_name, &bytes, None)?;
    drawing.sheet.dpi = dpi;
    drawing.sheet.traced = Some(Box::new(drawing.sheet.tracing()));
    Ok((NewDrawing { name: name.to_owned(), ..drawing }, bytes))
}

/// Reads a file that comes in and makes a drawing of it. The name without its ending is the drawing's. `pegs`: where the
/// shot's sheets have the marks of their peg holes, if one has them already.
pub fn new_drawing(
    file_name: &str,
    bytes: &[u8],
    pegs: Option<Marks>,
) -> Result<NewDrawing, rhizograph_formats::Error> {
    new_page(file_name, bytes, pegs, 0)
}

/// The same of a page of the file, from 1 on; 0: the first, if there are several.
pub fn new_page(
    file_name: &str,
    bytes: &[u8],
    pegs: Option<Marks>,
    page: u32,
) -> Result<NewDrawing, rhizograph_formats::Error> {
    let before = computed();
    let pages = rhizograph_formats::pages(bytes) as u32;
    let page = if pages > 1 { [page.max(1), pages] } else { [0; 2] };
    let input = rhizograph_formats::read(bytes, Reading { page: page[0], ..Reading::default() })?;
    let dpi = USUAL_DPI;
    let notes;
    let mut colours = ColourModel::default();
    let mut far = Progress::default();
    let sheet = match input {
        Input::Raster(r) => {
            notes = r.notes;
            let mut sheet = Sheet::new(r.rgb.width, r.rgb.height, r.dpi.unwrap_or(dpi));
            sheet.dpi_assumed = r.dpi.is_none();
            let intake = by_itself(&r.rgb, sheet.dpi, pegs);
            if let Ok(layout) = Layout::of(&intake, r.rgb.width, r.rgb.height) {
                (sheet.width, sheet.height) = (layout.width, layout.height);
                sheet.recipes.intake = intake;
            }
            sheet
        }
        Input::Vector(v) => {
            let mut sheet;
            (sheet, colours, notes) = of_vector(v);
            sheet.traced = Some(Box::new(sheet.tracing()));
            far = can_be_opened(&sheet, before)?;
            sheet
        }
    };
    let stem = std::path::Path::new(file_name)
        .file_stem()
        .map_or_else(|| "drawing".into(), |s| s.to_string_lossy().into_owned());
    let mut name: String = stem.chars().filter(|c| !c.is_control()).take(74).collect();
    if page[0] > 0 {
        let _ = write!(name, "-{:02}", page[0]);
    }
    let sha256 = Sha256::digest(bytes).iter().fold(String::new(), |mut s, b| {
        let _ = write!(s, "{b:02x}");
        s
    });
    let file_name = file_name.chars().filter(|c| !c.is_control()).take(200).collect();
    Ok(NewDrawing { name, file_name, sha256, notes, progress: far, sheet, colours, page })
}

/// The sheet of vector art, the swatches it names, and what of it is missing.
pub fn of_vector(v: Vector) -> (Sheet, ColourModel, Vec<String>) {
    let mut sheet = Sheet::new(v.width, v.height, v.dpi.unwrap_or(USUAL_DPI));
    sheet.next_id = v.lines.iter().map(|l| l.id).max().unwrap_or(0) + 1;
    sheet.lines = v.lines;
    v.drops.into_iter().for_each(|d| sheet.drop_paint(d));
    (sheet, v.colours, v.notes)
}

/// How much may be computed to read vector art and to open it, on all cores together, and how much of that is left for
/// storing each of its lines: what comes in is stored before it is answered.
const MOST_COMPUTED: Duration = Duration::from_secs(16);
const STORING_A_LINE: Duration = Duration::from_micros(80);

/// How long this process has computed: what others do on the machine does not count.
fn computed() -> Duration {
    let time = clock_gettime(ClockId::ProcessCPUTime);
    Duration::new(time.tv_sec.unsigned_abs(), time.tv_nsec as u32)
}

/// Opens vector art as it will be opened to work on, and tells how far it is; so much was computed `before` it was read.
/// Errors: it takes too long, or has more regions than are told apart.
fn can_be_opened(sheet: &Sheet, before: Duration) -> Result<Progress, rhizograph_formats::Error> {
    let blank = Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]);
    let scene = Scene::of(sheet, &blank);
    let too_much = |why: String| Err(rhizograph_formats::Error::TooMuch(why));
    if scene.regions.beyond() > 0 {
        let all = scene.regions.len() + scene.regions.beyond();
        return too_much(format!("its lines enclose {all} regions; {} can be told apart", scene.regions.len()));
    }
    let storing = STORING_A_LINE * sheet.lines.len() as u32;
    if computed().saturating_sub(before) + storing > MOST_COMPUTED {
        return too_much(format!("finding its {} regions takes too long to work on it", scene.regions.len()));
    }
    Ok(progress::of(sheet, &scene))
}
