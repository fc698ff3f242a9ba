//! *Kettle Post*, the demo: Marrow the tortoise delivers hot kettles along a sea wall. Drawn from parameters, the same
//! every time, with gaps and tails placed on purpose; and the devices: the sheet feeder,
//! which turns each drawing into a scan, the phone camera, and the tablet.

pub mod camera;
pub mod feeder;
pub mod kettle;
pub mod marrow;
pub mod pen;
pub mod random;
pub mod tablet;

use rhizograph_core::model::paint::Swatch;

pub const PRODUCTION: &str = "Kettle Post";
pub const SHOT: &str = "012";
pub const SHOT_NAME: &str = "Along the sea wall";
/// The shot that is one phone photo.
pub const PHOTO_SHOT: &str = "013";
pub const PHOTO_SHOT_NAME: &str = "By the kitchen window";

/// The shot that is drawn on a tablet.
pub const DRAWN_SHOT: &str = "014";
pub const DRAWN_SHOT_NAME: &str = "The kettle by itself";
/// Its one drawing.
pub const DRAWN: &str = "K-01";

/// The colour model of the shot.
pub fn swatches() -> Vec<Swatch> {
    [
        ("shell-plate", "Shell plate", [158, 178, 110]),
        ("shell-rim", "Shell rim", [112, 138, 88]),
        ("skin", "Skin", [217, 182, 122]),
        ("far-leg", "Far legs", [190, 154, 100]),
        ("kettle", "Kettle", [181, 83, 58]),
        ("kettle-trim", "Kettle trim", [222, 159, 39]),
        ("cap", "Post cap", [72, 98, 140]),
        ("satchel", "Satchel", [146, 98, 62]),
        ("letter", "Letter", [247, 240, 224]),
        ("stone", "Sea wall", [176, 170, 158]),
    ]
    .into_iter()
    .map(|(id, name, colour)| Swatch { id: id.into(), name: name.into(), colour })
    .collect()
}
