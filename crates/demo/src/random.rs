//! Numbers that look random and come out the same each time, by hashing (SplitMix64; Steele, Lea, Flood, 2014).

/// 64 mixed bits of a seed.
pub fn mix(seed: u64) -> u64 {
    let mut z = seed.wrapping_add(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^ (z >> 31)
}

/// 0 to 1.
pub fn unit(seed: u64) -> f64 {
    (mix(seed) >> 11) as f64 / (1u64 << 53) as f64
}

/// About normal, deviation 1 (the sum of four, scaled).
pub fn normal(seed: u64) -> f64 {
    let m = mix(seed);
    let sum: f64 = (0..4).map(|k| f64::from((m >> (16 * k)) as u16) / 65536.0 - 0.5).sum();
    sum * 3f64.sqrt()
}

/// A smooth wander along `t`, about -1 to 1.
pub fn wander(seed: u64, t: f64) -> f64 {
    let i = t.floor();
    let f = t - i;
    let at = |k: f64| 2.0 * unit(seed ^ mix(k as i64 as u64)) - 1.0;
    let s = f * f * (3.0 - 2.0 * f);
    at(i) * (1.0 - s) + at(i + 1.0) * s
}
