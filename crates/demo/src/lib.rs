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

use rhizograph_core::model::paint::{Swatch, Tone};

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

/// The tones that its swatches have.
pub fn tones() -> Vec<Tone> {
    [("shadow", "Shadow"), ("light", "Light")].map(|(id, name)| Tone { id: id.into(), name: name.into() }).to_vec()
}

/// The colour model of the shot: groups, names, and colours with shadow and light.
pub fn swatches() -> Vec<Swatch> {
    [
        ("Shell", "Shell plate", [158, 178, 110], [121, 140, 78], [188, 205, 143]),
        ("Shell", "Shell rim", [112, 138, 88], [82, 104, 62], [141, 166, 116]),
        ("Body", "Skin", [217, 182, 122], [185, 143, 88], [236, 210, 162]),
        ("Body", "Far legs", [190, 154, 100], [156, 120, 72], [212, 182, 134]),
        ("Kettle", "Kettle", [181, 83, 58], [139, 59, 41], [201, 118, 92]),
        ("Kettle", "Kettle trim", [222, 159, 39], [178, 121, 22], [240, 192, 98]),
        ("Post", "Post cap", [72, 98, 140], [51, 71, 106], [106, 133, 173]),
        ("Post", "Satchel", [146, 98, 62], [110, 71, 42], [176, 130, 93]),
        ("Post", "Letter", [247, 240, 224], [216, 205, 181], [255, 252, 243]),
        ("", "Sea wall", [176, 170, 158], [143, 137, 125], [203, 198, 188]),
    ]
    .into_iter()
    .map(|(group, name, colour, shadow, light)| {
        let tones = [("shadow".to_owned(), shadow), ("light".to_owned(), light)].into();
        Swatch { group: group.into(), tones, ..Swatch::new(name, colour) }
    })
    .collect()
}
