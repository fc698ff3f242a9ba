//! The type that texts of vector art are set in.

use std::sync::{Arc, LazyLock};
use usvg::fontdb::{Database, Source};
use usvg::{FontFamily, Text};

/// The one type that comes with the program, for Latin letters.
const TYPE: &[u8] = include_bytes!("../../fonts/atkinson-hyperlegible-next.ttf");
const NAME: &str = "Atkinson Hyperlegible Next";

/// The type that comes with the program; whatever other is asked for, it stands in.
pub fn types() -> Arc<Database> {
    static TYPES: LazyLock<Arc<Database>> = LazyLock::new(|| {
        let mut types = Database::new();
        types.load_font_source(Source::Binary(Arc::new(TYPE)));
        types.set_serif_family(NAME);
        types.set_sans_serif_family(NAME);
        types.set_cursive_family(NAME);
        types.set_fantasy_family(NAME);
        types.set_monospace_family(NAME);
        Arc::new(types)
    });
    TYPES.clone()
}

/// Whether a text is set in the type that it asks for, and how many of its letters that type does not have.
pub fn told(text: &Text) -> (bool, usize) {
    let is_asked = |f: &FontFamily| matches!(f, FontFamily::Named(name) if name == NAME);
    let is_own = text.chunks().iter().flat_map(|c| c.spans()).all(|s| s.font().families().iter().any(is_asked));
    let glyphs = text.layouted().iter().flat_map(|s| &s.positioned_glyphs);
    (is_own, glyphs.filter(|g| g.id.0 == 0).count())
}
