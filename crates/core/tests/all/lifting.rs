//! Lifting, on sheets made for the purpose: what is ink, what is pencil, what is paper, and how wide a line is.
use proptest::prelude::*;
use rhizograph_core::Error;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::lift::{self, Coverage, LiftFacts, Survey, Table, analyse};
use rhizograph_core::model::by_hand::{ByHand, Effect, Touch};
use rhizograph_core::model::numbered::numbered;
use rhizograph_core::model::recipe::{Edge, LiftRecipe, Points, Polarity};
use rhizograph_core::raster::components::components;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::strokes;

const W: usize = 640;
const H: usize = 480;

fn noise(seed: usize) -> f64 {
    let mut z = (seed as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    (z >> 11) as f64 / (1u64 << 53) as f64 - 0.5
}

fn line(plane: &mut Plane<u8>, points: &[Pt], width: f64) {
    let flat: Vec<FlatPoint> = points.iter().map(|&p| FlatPoint { p, width }).collect();
    strokes::stroke(plane, &flat);
}

/// A sheet: how much ink and pencil each pixel bears, how much light falls on it; with grain.
struct Sheet {
    ink: Plane<u8>,
    pencil: Plane<u8>,
    tint: [f64; 3],
    light: fn(usize, usize) -> f64,
}

impl Sheet {
    fn new() -> Sheet {
        let bare = Plane::new(W, H, 0u8);
        Sheet { ink: bare.clone(), pencil: bare, tint: [0.55, 0.76, 0.92], light: |_, _| 1.0 }
    }

    fn scanned(&self) -> Plane<Rgb> {
        let mut out = Plane::new(W, H, [0u8; 3]);
        for y in 0..H {
            for x in 0..W {
                let (i, b) = (f64::from(*self.ink.at(x, y)) / 255.0, f64::from(*self.pencil.at(x, y)) / 255.0);
                let grain = 5.0 * noise(y * W + x);
                let at = |c: usize| {
                    let paper = [243.0, 239.0, 228.0][c] * (1.0 - b * (1.0 - self.tint[c]));
                    ((paper * (1.0 - i) + 28.0 * i) * (self.light)(x, y) + grain).clamp(0.0, 255.0) as u8
                };
                out.set(x, y, [at(0), at(1), at(2)]);
            }
        }
        out
    }
}

fn ink_of(sheet: &Plane<Rgb>, recipe: &LiftRecipe) -> Plane<u8> {
    lifted(sheet, recipe).0.alpha
}

fn lifted(sheet: &Plane<Rgb>, recipe: &LiftRecipe) -> (Ink, LiftFacts) {
    lift::lift(sheet, recipe, &ByHand::default(), 300.0).unwrap()
}

fn cover(sheet: &Plane<Rgb>, recipe: &LiftRecipe) -> Coverage {
    lift::cover(sheet, &analyse(sheet, recipe.polarity).unwrap(), recipe)
}

/// F-measure of the ink against what was drawn.
fn likeness(got: &Plane<u8>, want: &Plane<u8>) -> f64 {
    let (mut both, mut g, mut w) = (0.0, 0.0, 0.0);
    for (a, b) in got.data.iter().zip(&want.data) {
        let (a, b) = (f64::from(u8::from(*a >= 128)), f64::from(u8::from(*b >= 128)));
        both += a * b;
        g += a;
        w += b;
    }
    2.0 * both / (g + w)
}

fn drawing() -> Plane<u8> {
    let mut ink = Plane::new(W, H, 0u8);
    for (k, width) in [3.0, 5.0, 8.0, 12.0].into_iter().enumerate() {
        let y = 60.0 + 90.0 * k as f64;
        line(&mut ink, &[pt(60.0, y), pt(300.0, y + 40.0), pt(580.0, y - 10.0)], width);
    }
    ink
}

#[test]
fn pencil_goes_pale_and_strong_alike_and_ink_over_it_stays_whole() {
    for tint in [[0.55, 0.76, 0.92], [0.93, 0.55, 0.55], [0.6, 0.85, 0.6]] {
        let mut sheet = Sheet { ink: drawing(), tint, ..Sheet::new() };
        for k in 0..9 {
            let x = 70.0 + 60.0 * f64::from(k);
            let mut one = Plane::new(W, H, 0u8);
            line(&mut one, &[pt(x, 10.0), pt(x + 30.0, 470.0)], 5.0);
            let strength = 0.45 + 0.06 * f64::from(k);
            for (p, o) in sheet.pencil.data.iter_mut().zip(&one.data) {
                *p = (*p).max((f64::from(*o) * strength) as u8);
            }
        }
        let got = ink_of(&sheet.scanned(), &LiftRecipe::default());
        let f = likeness(&got, &sheet.ink);
        println!("figure: ink under pencil of {tint:?}: F {f:.4}");
        assert!(f > 0.985, "{tint:?}: {f}");
        let none = LiftRecipe { drop_out: Some(vec![]), ..LiftRecipe::default() };
        let found = cover(&sheet.scanned(), &LiftRecipe::default()).drop_out;
        assert!(!found.is_empty(), "the pencil is proposed");
        let kept = cover(&sheet.scanned(), &none).plane;
        let dropped = cover(&sheet.scanned(), &LiftRecipe::default()).plane;
        let sum = |p: &Plane<u8>| p.data.iter().map(|&v| u64::from(v)).sum::<u64>();
        assert!(sum(&kept) > sum(&dropped));
    }
}

#[test]
fn a_shadow_is_flattened_and_a_broad_solid_does_not_hollow() {
    let mut ink = drawing();
    let disc: Vec<Pt> = (0..90)
        .map(|k| f64::from(k) / 90.0 * std::f64::consts::TAU)
        .map(|a| pt(480.0 + 90.0 * a.cos(), 340.0 + 90.0 * a.sin()))
        .collect();
    strokes::fill(&mut ink, &[disc]);
    let sheet = Sheet {
        ink,
        light: |x, y| 0.5 + 0.5 / (1.0 + (-(x as f64 + 0.5 * y as f64 - 380.0) / 40.0).exp()),
        ..Sheet::new()
    };
    let got = ink_of(&sheet.scanned(), &LiftRecipe::default());
    let f = likeness(&got, &sheet.ink);
    println!("figure: ink under a shadow that halves the light: F {f:.4}");
    assert!(f > 0.985, "{f}");
    for y in 270..410 {
        assert!(*got.at(480, y) == 255, "hollow at 480, {y}");
    }
    let flat = LiftRecipe { even_light: 0.0, ..LiftRecipe::default() };
    assert!(likeness(&ink_of(&sheet.scanned(), &flat), &sheet.ink) < f);
}

#[test]
fn lines_are_as_wide_as_they_were_drawn_hairs_and_broad_ones_alike() {
    for width in [1.5, 2.5, 4.0, 8.0, 16.0] {
        let mut sharp = Plane::new(W, H, 0u8);
        line(&mut sharp, &[pt(-20.0, 240.3), pt(660.0, 240.3)], width);
        // A lens's blur: a Gaussian of deviation 1.2 across the line.
        let kernel: Vec<f64> = (-5i32..=5).map(|k| (-f64::from(k * k) / 2.88).exp()).collect();
        let total: f64 = kernel.iter().sum();
        let mut sheet = Sheet::new();
        for y in 0..H {
            let v: f64 = (0..11)
                .map(|k| kernel[k] * f64::from(*sharp.at(300, (y + k).saturating_sub(5).min(H - 1))))
                .sum::<f64>()
                / total;
            for x in 0..W {
                sheet.ink.set(x, y, v.round() as u8);
            }
        }
        // Somewhere the pen filled an area: that tells how dark its ink is.
        strokes::fill(&mut sheet.ink, &[vec![pt(540.0, 380.0), pt(620.0, 380.0), pt(620.0, 460.0), pt(540.0, 460.0)]]);
        let recipe = LiftRecipe { edge: Edge::Soft1, ..LiftRecipe::default() };
        let got = ink_of(&sheet.scanned(), &recipe);
        let rows: f64 = (0..H).map(|y| (0..500).filter(|&x| *got.at(x, y) >= 128).count() as f64 / 500.0).sum();
        println!("figure: a line {width} px wide is lifted {rows:.2} px wide");
        assert!((rows - width).abs() < 0.75, "{width} became {rows}");
    }
}

#[test]
fn white_ink_on_dark_paper_is_told_by_itself() {
    let sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let turned = sheet.scanned().map(|p| p.map(|c| 255 - c));
    let coverage = cover(&turned, &LiftRecipe::default());
    assert!(coverage.light_ink);
    assert!(likeness(&ink_of(&turned, &LiftRecipe::default()), &sheet.ink) > 0.98);
    let wrong = LiftRecipe { polarity: Polarity::DarkInk, ..LiftRecipe::default() };
    assert!(!cover(&turned, &wrong).light_ink);
}

#[test]
fn specks_and_pinholes_are_counted_as_they_go() {
    let mut sheet = Sheet { ink: drawing(), ..Sheet::new() };
    for k in 0..12 {
        let p = pt(40.0 + 48.0 * f64::from(k), 20.0);
        line(&mut sheet.ink, &[p, p + pt(0.1, 0.0)], 3.0);
    }
    let recipe = LiftRecipe::default();
    let scan = sheet.scanned();
    let (ink, facts) = lifted(&scan, &recipe);
    assert_eq!(facts.specks_gone, 12);
    assert_eq!(components(&ink.mask(), true).1.len(), 4);
    let keep = LiftRecipe { specks: 0.0, ..recipe };
    let (ink, facts) = lifted(&scan, &keep);
    assert_eq!(facts.specks_gone, 0);
    assert_eq!(components(&ink.mask(), true).1.len(), 16);
}

#[test]
fn crisp_edges_are_ink_or_nothing_and_softer_ones_fall_off_more() {
    let sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let scan = sheet.scanned();
    let between = |edge| {
        let recipe = LiftRecipe { edge, ..LiftRecipe::default() };
        let alpha = ink_of(&scan, &recipe);
        alpha.data.iter().filter(|a| (1..255).contains(*a)).count()
    };
    assert_eq!(between(Edge::Crisp), 0);
    assert!(between(Edge::Soft1) > 0);
    assert!(between(Edge::Soft2) > between(Edge::Soft1));
}

#[test]
fn the_paper_point_trades_faint_lines() {
    let mut sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let mut faint = Plane::new(W, H, 0u8);
    line(&mut faint, &[pt(60.0, 440.0), pt(580.0, 450.0)], 5.0);
    for (i, f) in sheet.ink.data.iter_mut().zip(&faint.data) {
        *i = (*i).max((f64::from(*f) * 0.45) as u8);
    }
    let scan = sheet.scanned();
    let pieces = |paper| {
        let recipe = LiftRecipe { points: Some(Points { ink: 1.0, mid: 0.5, paper }), ..LiftRecipe::default() };
        components(&ink_of(&scan, &recipe).map(|&a| a >= 128), true).1.len()
    };
    assert_eq!(pieces(0.25), 5, "a low paper point keeps the faint line");
    assert_eq!(pieces(0.6), 4, "a high one loses it");
}

#[test]
fn sheets_with_nothing_to_lift_say_what_they_are() {
    let recipe = LiftRecipe::default();
    let flat = |v: u8| Plane::new(200, 100, [v; 3]);
    let none =
        |sheet: &Plane<Rgb>, recipe: &LiftRecipe| lift::lift(sheet, recipe, &ByHand::default(), 300.0).unwrap_err();
    assert_eq!(none(&flat(240), &recipe), Error::NoInk);
    assert_eq!(none(&flat(10), &recipe), Error::AllInk);
    assert_eq!(none(&Plane::new(1, 1, [0; 3]), &recipe), Error::TooSmall(1, 1));
    let out = LiftRecipe { specks: 9.0, ..recipe };
    assert!(matches!(none(&flat(240), &out), Error::Recipe { name: "specks", .. }));
}

#[test]
fn the_trade_counts_thin_lines_lost_and_pencil_left_and_names_where() {
    let mut sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let mut faint = Plane::new(W, H, 0u8);
    line(&mut faint, &[pt(60.0, 440.0), pt(580.0, 450.0)], 4.0);
    for (i, f) in sheet.ink.data.iter_mut().zip(&faint.data) {
        *i = (*i).max((f64::from(*f) * 0.4) as u8);
    }
    line(&mut sheet.pencil, &[pt(60.0, 25.0), pt(500.0, 20.0)], 5.0);
    let scan = sheet.scanned();
    // The pencil is let through as far as unmixing by one colour goes: none is dropped.
    let recipe = LiftRecipe { drop_out: Some(vec![]), ..LiftRecipe::default() };
    let coverage = cover(&scan, &recipe);
    let survey = Survey::of(&coverage, &lift::peaks(&coverage), 300.0);
    let at = |paper| survey.judge(&Table::new(Points { ink: 1.0, mid: 0.5, paper }, Edge::Crisp, 0.0));
    let (low, high) = (at(0.15), at(0.6));
    assert_eq!(low.thin_lost, 0.0);
    assert!(low.lost.is_empty());
    assert!(high.thin_lost > 0.2, "{}", high.thin_lost);
    assert!(high.lost.iter().filter(|p| (430..460).contains(&p[1])).count() > 50);
    // With the colour dropped weakly, what is left of it is told as pencil.
    let weak = LiftRecipe { reach: 0.0, softness: 60.0, ..LiftRecipe::default() };
    let coverage = cover(&scan, &weak);
    let survey = Survey::of(&coverage, &lift::peaks(&coverage), 300.0);
    let at = |paper| survey.judge(&Table::new(Points { ink: 1.0, mid: 0.5, paper }, Edge::Crisp, 0.0));
    assert!(at(0.05).pencil_left >= at(0.5).pencil_left);
    assert_eq!(at(0.5).pencil_left, 0);
}

#[test]
fn the_touch_up_brush_keeps_more_here_and_less_there_and_erases() {
    let mut sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let mut faint = Plane::new(W, H, 0u8);
    line(&mut faint, &[pt(60.0, 440.0), pt(580.0, 450.0)], 5.0);
    for (i, f) in sheet.ink.data.iter_mut().zip(&faint.data) {
        *i = (*i).max((f64::from(*f) * 0.35) as u8);
    }
    let scan = sheet.scanned();
    let points = Points { ink: 1.0, mid: 0.5, paper: 0.5 };
    let recipe = LiftRecipe { points: Some(points), ..LiftRecipe::default() };
    let brush =
        |effect, path: Vec<Pt>| Touch { effect, path, size: 60.0, hardness: 1.0, strength: 1.0, takes_off: false };
    let count = |by_hand: &ByHand, x: std::ops::Range<usize>, y: std::ops::Range<usize>| {
        let alpha = lift::lift(&scan, &recipe, by_hand, 300.0).unwrap().0.alpha;
        y.flat_map(|y| x.clone().map(move |x| (x, y))).filter(|&(x, y)| *alpha.at(x, y) >= 128).count()
    };
    let plain = ByHand::default();
    let more = ByHand {
        touches: numbered([brush(Effect::More, vec![pt(100.0, 442.0), pt(250.0, 445.0)])]),
        ..ByHand::default()
    };
    assert_eq!(count(&plain, 100..250, 425..465), 0);
    assert!(count(&more, 100..250, 425..465) > 500);
    assert_eq!(count(&more, 320..560, 425..470), 0, "only where it was painted");
    let erase = ByHand { touches: numbered([brush(Effect::Erase, vec![pt(150.0, 75.0)])]), ..ByHand::default() };
    assert!(count(&plain, 130..170, 55..95) > 80);
    assert_eq!(count(&erase, 130..170, 55..95), 0);
    let rest = ByHand { inverted: vec![Effect::Erase], ..erase };
    assert!(count(&rest, 130..170, 55..95) > 80);
    assert_eq!(count(&rest, 300..600, 100..400), 0);
}

#[test]
fn grain_lets_the_tooth_into_the_line_without_making_it_thinner() {
    let mut sheet = Sheet { ink: drawing(), ..Sheet::new() };
    for (i, a) in sheet.ink.data.iter_mut().enumerate() {
        *a = (f64::from(*a) * (0.8 + 0.2 * noise(i * 7 + 5))) as u8;
    }
    let scan = sheet.scanned();
    let alpha = |grain| ink_of(&scan, &LiftRecipe { grain, ..LiftRecipe::default() });
    let unrest = |p: &Plane<u8>| {
        let ink: Vec<f64> = p.data.iter().filter(|&&a| a >= 128).map(|&a| f64::from(a)).collect();
        let mean = ink.iter().sum::<f64>() / ink.len() as f64;
        (ink.iter().map(|a| (a - mean).powi(2)).sum::<f64>() / ink.len() as f64).sqrt()
    };
    let (none, half) = (alpha(0.0), alpha(0.5));
    assert!(unrest(&half) > unrest(&none) + 5.0, "{} {}", unrest(&half), unrest(&none));
    assert!(none.data.iter().zip(&half.data).all(|(a, b)| (*a >= 128) == (*b >= 128)));
}

#[test]
fn ink_kept_as_drawn_has_the_colour_it_was_drawn_in() {
    let sheet = Sheet { ink: drawing(), ..Sheet::new() };
    let brown = sheet.scanned().map(|p| {
        // What was near black becomes a warm brown.
        let k = f64::from(p[1]) / 239.0;
        [[243.0, 110.0], [239.0, 60.0], [228.0, 30.0]]
            .map(|[paper, ink]: [f64; 2]| (ink + (paper - ink) * k.min(1.0)) as u8)
    });
    let recipe = LiftRecipe { as_drawn: true, drop_out: Some(vec![]), ..LiftRecipe::default() };
    let (ink, _) = lifted(&brown, &recipe);
    let got = ink.colour_at(300, 370);
    assert!(*ink.alpha.at(300, 370) == 255);
    assert!((105..=130).contains(&got[0]) && (55..=80).contains(&got[1]) && (25..=55).contains(&got[2]), "{got:?}");
}

#[test]
fn the_channel_mix_hides_a_colour_that_one_channel_does_not_see() {
    let mut sheet = Sheet { ink: drawing(), tint: [0.55, 0.76, 1.0], ..Sheet::new() };
    line(&mut sheet.pencil, &[pt(60.0, 25.0), pt(500.0, 20.0)], 7.0);
    let scan = sheet.scanned();
    let row = |mix| {
        let recipe = LiftRecipe { drop_out: Some(vec![]), mix, ..LiftRecipe::default() };
        let coverage = cover(&scan, &recipe);
        (10..40).map(|y| *coverage.plane.at(280, y)).max().unwrap()
    };
    assert!(row([1.0, 1.0, 1.0]) > 50);
    assert!(row([0.0, 0.0, 1.0]) < 15, "{}", row([0.0, 0.0, 1.0]));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 6))]

    #[test]
    fn sheets_of_any_kind_never_panic(w in 1usize..70, h in 1usize..70, seed in 0usize..10_000, spread in 0.0..255.0f64, base in 0.0..255.0f64) {
        let pixel = |i: usize| std::array::from_fn(|c| (base + 2.0 * spread * noise(seed + 3 * i + c)).clamp(0.0, 255.0) as u8);
        let sheet = Plane { width: w, height: h, data: (0..w * h).map(pixel).collect() };
        let recipe = LiftRecipe::default();
        if let Ok((ink, _)) = lift::lift(&sheet, &recipe, &ByHand::default(), 300.0) {
            prop_assert_eq!(ink.alpha.data.len(), w * h);
            let lines = rhizograph_core::trace::trace(&ink, &rhizograph_core::model::recipe::TraceRecipe::default(), 300.0, 1);
            let mut state = rhizograph_core::model::sheet::Sheet::new(w, h, 300.0);
            state.lines = rhizograph_core::model::line::piled(lines);
            let scene = rhizograph_core::scene::Scene::of(&state, &ink);
            prop_assert_eq!(scene.network.arrangement.euler(), 0);
        }
    }
}
