//! How light and how colourful something looks.

/// CIE L* of an sRGB colour, 0 to 100.
pub fn lightness(colour: [u8; 3]) -> f64 {
    let linear = |v: u8| {
        let v = f64::from(v) / 255.0;
        if v <= 0.040_45 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
    };
    let [r, g, b] = colour.map(linear);
    let y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
    let f = if y > 216.0 / 24_389.0 { y.cbrt() } else { (24_389.0 / 27.0 * y + 16.0) / 116.0 };
    116.0 * f - 16.0
}

/// Between the strongest and the weakest of red, green and blue, 0 to 1.
pub fn spread(colour: [u8; 3]) -> f64 {
    let (most, least) = (colour.iter().max(), colour.iter().min());
    f64::from(most.unwrap_or(&0) - least.unwrap_or(&0)) / 255.0
}
