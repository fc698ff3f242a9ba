//! From the laid-out sheet to its ink, with the result of every step kept: asking again for what differs little computes
//! little. Nothing in here decides anything: the same question gives the same answer, whatever was asked before.

use crate::error::Error;
use crate::lift::{
    self, Analysis, Base, Coverage, Cutting, LiftFacts, Painted, Survey, Table, Trade, analyse, area, outside,
};
use crate::model::by_hand::{ByHand, Effect, Touch};
use crate::model::erasure::Erasure;
use crate::model::inking::Inking;
use crate::model::line::Line;
use crate::model::numbered::Numbered;
use crate::model::pixels;
use crate::model::recipe::{Edge, LiftRecipe, Placement, Points, Polarity, TraceRecipe, WeightRecipe, px_per_mm};
use crate::model::sheet::Spared;
use crate::raster::ink::Ink;
use crate::raster::plane::{Plane, Rgb};
use crate::raster::window::Window;
use crate::trace::{Bones, trace_bones, without_covered};
use crate::weight::{Weighing, weigh_part};
use std::sync::Arc;

/// Ink with what was found lifting it, or why there is none.
pub type Inked = Result<(Ink, LiftFacts), Error>;

type CoverKey = (Option<Vec<Rgb>>, [u64; 6], Polarity);

fn cover_key(r: &LiftRecipe) -> CoverKey {
    let [a, b, c] = r.mix;
    (r.drop_out.clone(), [r.reach, r.softness, r.even_light, a, b, c].map(f64::to_bits), r.polarity)
}

struct Covered {
    coverage: Coverage,
    peaks: Plane<u8>,
}

/// The ink that is traced, with its bones.
struct Boned {
    of: Arc<Inked>,
    erased: Vec<Numbered<Erasure>>,
    alpha: Plane<u8>,
    bones: Bones,
}

type Traced = (TraceRecipe, Spared, Arc<Vec<Line>>);

/// The strokes of the brush, and the effects whose area is turned about.
type Strokes = (Vec<Numbered<Touch>>, Vec<Effect>);
type BaseKey = (CoverKey, Option<Points>, Edge, u64, Strokes);

/// The steps of one sheet. Planes that are asked for come from the sheet that is given; it must be the same each time
/// until [`Stages::forget`].
#[derive(Default)]
pub struct Stages {
    analysis: Option<(Polarity, Arc<Result<Analysis, Error>>)>,
    covered: Option<(CoverKey, Arc<Covered>)>,
    painted: Option<(Strokes, Arc<Painted>)>,
    base: Option<(BaseKey, Arc<Base>)>,
    lifted: Option<(LiftRecipe, ByHand, Arc<Inked>)>,
    weighed: Option<(Inking, Arc<Inked>)>,
    survey: Option<(CoverKey, Arc<Survey>)>,
    trade: Option<(CoverKey, Points, Trade)>,
    outside: Option<(Arc<Inked>, Arc<Plane<u8>>)>,
    smaller: Vec<(u32, Arc<Plane<Rgb>>)>,
    boned: Option<Arc<Boned>>,
    traced: Option<Traced>,
    dpi: f64,
    /// A plane to work in while glancing.
    scratch: Option<Plane<u8>>,
}

/// How far around a pixel its weight depends on what is there, px.
fn reach_of(weight: &WeightRecipe, dpi: f64) -> usize {
    let floor = if weight.amount < 0.0 { weight.floor } else { 0.0 };
    ((weight.amount.abs() + floor) * px_per_mm(dpi)).ceil() as usize
}

impl Stages {
    /// Forgets everything: the sheet is another one now.
    pub fn forget(&mut self) {
        *self = Stages::default();
    }

    /// About how many bytes all that is kept takes.
    pub fn bytes(&self) -> usize {
        let of_inked = |i: &Arc<Inked>| i.as_ref().as_ref().map_or(0, |(ink, _)| ink.bytes());
        let cover = self.covered.as_ref().map_or(0, |c| 3 * c.1.peaks.data.len());
        // Alpha, specks and pinholes; a mask, distances and a skeleton.
        let base = if self.base.is_some() { cover } else { 0 };
        let boned = self.boned.as_ref().map_or(0, |b| 7 * b.alpha.data.len() + of_inked(&b.of));
        let inked = [self.lifted.as_ref().map(|l| &l.2), self.weighed.as_ref().map(|w| &w.1)];
        let outside = self.outside.as_ref().map_or(0, |o| o.1.data.len());
        let smaller: usize = self.smaller.iter().map(|s| 3 * s.1.data.len()).sum();
        let scratch = self.scratch.as_ref().map_or(0, |s| s.data.len());
        cover + base + boned + inked.into_iter().flatten().map(of_inked).sum::<usize>() + outside + smaller + scratch
    }

    /// Lengths are in mm: at another resolution nothing that was kept holds.
    fn at(&mut self, dpi: f64) {
        if self.dpi != dpi {
            self.forget();
            self.dpi = dpi;
        }
    }

    fn analysis(&mut self, sheet: &Plane<Rgb>, polarity: Polarity) -> Arc<Result<Analysis, Error>> {
        if let Some((p, a)) = &self.analysis
            && *p == polarity
        {
            return a.clone();
        }
        let made = Arc::new(analyse(sheet, polarity));
        self.analysis = Some((polarity, made.clone()));
        made
    }

    fn covered(&mut self, sheet: &Plane<Rgb>, recipe: &LiftRecipe) -> Result<Arc<Covered>, Error> {
        let key = cover_key(recipe);
        if let Some((k, c)) = &self.covered
            && *k == key
        {
            return Ok(c.clone());
        }
        let analysis = self.analysis(sheet, recipe.polarity);
        let coverage = lift::cover(sheet, (*analysis).as_ref().map_err(Clone::clone)?, recipe);
        let peaks = lift::peaks(&coverage);
        let made = Arc::new(Covered { coverage, peaks });
        self.covered = Some((key, made.clone()));
        Ok(made)
    }

    fn painted(&mut self, by_hand: &ByHand, width: usize, height: usize) -> Arc<Painted> {
        if let Some(((t, i), p)) = &self.painted
            && *t == by_hand.touches
            && *i == by_hand.inverted
        {
            return p.clone();
        }
        let made = Arc::new(Painted::of(by_hand, width, height));
        self.painted = Some(((by_hand.touches.clone(), by_hand.inverted.clone()), made.clone()));
        made
    }

    fn new_base(
        &mut self,
        scratch: Plane<u8>,
        sheet: &Plane<Rgb>,
        recipe: &LiftRecipe,
        by_hand: &ByHand,
        dpi: f64,
    ) -> Result<Base, Error> {
        let covered = self.covered(sheet, recipe)?;
        let painted = self.painted(by_hand, sheet.width, sheet.height);
        let c = &covered.coverage;
        let points = lift::points_of(recipe, c);
        let (coverage, removed, peaks) = (&c.plane, &c.removed, &covered.peaks);
        Ok(Base::of(Cutting { coverage, removed, peaks, points, recipe, painted: &painted }, scratch, dpi, false))
    }

    fn base_key(recipe: &LiftRecipe, by_hand: &ByHand) -> BaseKey {
        let strokes = (by_hand.touches.clone(), by_hand.inverted.clone());
        (cover_key(recipe), recipe.points, recipe.edge, recipe.grain.to_bits(), strokes)
    }

    fn base(
        &mut self,
        sheet: &Plane<Rgb>,
        recipe: &LiftRecipe,
        by_hand: &ByHand,
        dpi: f64,
    ) -> Result<Arc<Base>, Error> {
        let key = Stages::base_key(recipe, by_hand);
        if let Some((k, b)) = &self.base
            && *k == key
        {
            return Ok(b.clone());
        }
        let scratch = Plane::empty();
        let made = Arc::new(self.new_base(scratch, sheet, recipe, by_hand, dpi)?);
        self.base = Some((key, made.clone()));
        Ok(made)
    }

    /// The ink as it is lifted, before its weight is changed.
    pub fn lifted(&mut self, sheet: &Plane<Rgb>, inking: &Inking, dpi: f64) -> Arc<Inked> {
        self.at(dpi);
        let (recipe, by_hand) = (&inking.lift, &inking.by_hand);
        if let Some((r, b, l)) = &self.lifted
            && r == recipe
            && b == by_hand
        {
            return l.clone();
        }
        let made = Arc::new(self.lift(sheet, recipe, by_hand, dpi));
        self.lifted = Some((recipe.clone(), by_hand.clone(), made.clone()));
        made
    }

    fn lift(&mut self, sheet: &Plane<Rgb>, recipe: &LiftRecipe, by_hand: &ByHand, dpi: f64) -> Inked {
        recipe.check()?;
        let base = self.base(sheet, recipe, by_hand, dpi)?;
        let covered = self.covered(sheet, recipe)?;
        let (mut ink, facts) = base.develop(&covered.coverage, recipe, &by_hand.protected, dpi)?;
        if recipe.as_drawn
            && let Ok(analysis) = &*self.analysis(sheet, recipe.polarity)
        {
            ink.drawn = Some(Arc::new(analysis.drawn_colours(sheet, &ink.alpha)));
        }
        Ok((ink, facts))
    }

    /// The ink with its weight changed.
    pub fn ink(&mut self, sheet: &Plane<Rgb>, inking: &Inking, dpi: f64) -> Arc<Inked> {
        let lifted = self.lifted(sheet, inking, dpi);
        if inking.weight.amount == 0.0 {
            return lifted;
        }
        if let Some((i, w)) = &self.weighed
            && i == inking
        {
            return w.clone();
        }
        let made = Arc::new(match &*lifted {
            Err(e) => Err(e.clone()),
            Ok((ink, facts)) => {
                let whole = Window { x: 0, y: 0, width: sheet.width, height: sheet.height, level: 0 };
                let alpha = self.weigh(&ink.alpha, &lifted, inking, whole, dpi);
                Ok((Ink { alpha, ..ink.clone() }, facts.clone()))
            }
        });
        self.weighed = Some((inking.clone(), made.clone()));
        made
    }

    /// Weighs a part of the lifted ink that may be made smaller.
    fn weigh(&mut self, part: &Plane<u8>, lifted: &Arc<Inked>, inking: &Inking, window: Window, dpi: f64) -> Plane<u8> {
        let Ok((ink, _)) = &**lifted else {
            return part.clone();
        };
        let (w, h) = (ink.alpha.width, ink.alpha.height);
        let smaller = |p: &Plane<u8>| p.smaller(window.level, window.area());
        let painted = area(&inking.by_hand.touches, &inking.by_hand.inverted, Effect::Weight, w, h);
        let painted = painted.map(|p| smaller(&p));
        let outside = (inking.weight.placement != Placement::Both && inking.weight.amount != 0.0).then(|| {
            if !self.outside.as_ref().is_some_and(|(l, _)| Arc::ptr_eq(l, lifted)) {
                self.outside = Some((lifted.clone(), Arc::new(outside(&ink.alpha))));
            }
            let all = self.outside.as_ref().map(|o| o.1.clone());
            all.map(|all| smaller(&all).map(|&v| if v >= 128 { 255 } else { 0 }))
        });
        let outside = outside.flatten();
        let by = Weighing {
            recipe: &inking.weight,
            // Pixels that were averaged are soft whatever they were.
            edge: if window.level > 0 { Edge::Soft1 } else { inking.lift.edge },
            area: painted.as_ref(),
            outside: outside.as_ref(),
            px_per_mm: px_per_mm(dpi) / f64::from(1u32 << window.level),
        };
        weigh_part(part, by)
    }

    /// What points cost and leave on this sheet.
    pub fn trade(&mut self, sheet: &Plane<Rgb>, recipe: &LiftRecipe, dpi: f64) -> Result<Trade, Error> {
        recipe.check()?;
        let covered = self.covered(sheet, recipe)?;
        let key = cover_key(recipe);
        let survey = match &self.survey {
            Some((k, s)) if *k == key => s.clone(),
            _ => {
                let made = Arc::new(Survey::of(&covered.coverage, &covered.peaks, dpi));
                self.survey = Some((key.clone(), made.clone()));
                made
            }
        };
        let points = lift::points_of(recipe, &covered.coverage);
        if let Some((_, _, trade)) = self.trade.as_ref().filter(|(k, p, _)| *k == key && *p == points) {
            return Ok(trade.clone());
        }
        let trade = survey.judge(&Table::new(points, Edge::Crisp, 0.0));
        self.trade = Some((key, points, trade.clone()));
        Ok(trade)
    }

    /// Whether judging points would be quick.
    pub fn is_surveyed(&self, recipe: &LiftRecipe) -> bool {
        self.survey.as_ref().is_some_and(|(k, _)| *k == cover_key(recipe))
    }

    /// The colours of a part of the ink, where they are kept as drawn and known already.
    pub fn colours(&mut self, sheet: &Plane<Rgb>, inking: &Inking, window: Window, dpi: f64) -> Option<Plane<Rgb>> {
        let window = window.on(sheet.width, sheet.height);
        let lifted = self.lifted(sheet, inking, dpi);
        let drawn = (*lifted).as_ref().ok()?.0.drawn.clone()?;
        Some(drawn.averaged(window.level, window.area()))
    }

    /// The sheet with every `2^level` pixels averaged into one.
    fn smaller(&mut self, sheet: &Plane<Rgb>, level: u32) -> Arc<Plane<Rgb>> {
        if let Some((_, p)) = self.smaller.iter().find(|s| s.0 == level) {
            return p.clone();
        }
        let made = Arc::new(sheet.averaged(level, [0, 0, sheet.width, sheet.height]));
        self.smaller.push((level, made.clone()));
        made
    }

    /// The alpha of a part of the sheet, for looking at while a slider is dragged. At full size it is exactly that part
    /// of [`Stages::ink`]. Made smaller, it is the average of that too, but for points that move (the small pieces are
    /// those of the points before) and for what changes the coverage (drop-out, channel mix, even light) or the weight:
    /// those are computed on the picture made smaller.
    pub fn glance(
        &mut self,
        sheet: &Plane<Rgb>,
        inking: &Inking,
        window: Window,
        dpi: f64,
    ) -> Result<Plane<u8>, Error> {
        inking.check()?;
        self.at(dpi);
        // While the ink is looked for nothing is traced.
        (self.boned, self.traced) = (None, None);
        let window = window.on(sheet.width, sheet.height);
        let (recipe, by_hand) = (&inking.lift, &inking.by_hand);
        if let Some((i, weighed)) = &self.weighed
            && i == inking
        {
            return (**weighed)
                .as_ref()
                .map_err(Clone::clone)
                .map(|(ink, _)| ink.alpha.smaller(window.level, window.area()));
        }
        let known = self.lifted.as_ref().is_some_and(|(r, b, _)| r == recipe && b == by_hand);
        if window.level == 0 && !known {
            return self.part(sheet, inking, window, dpi);
        }
        let same_cover = self.covered.as_ref().is_some_and(|(k, _)| *k == cover_key(recipe));
        let weighs = inking.weight.amount != 0.0;
        // A line that is less than a pixel wide has no edge to move: weight is given at three pixels a mm, then averaged on.
        let finest = (px_per_mm(dpi) / 2.9).log2().clamp(0.0, 8.0) as u32;
        let level = if weighs { window.level.min(finest) } else { window.level };
        let r = reach_of(&inking.weight, dpi) + (2 << window.level);
        let wide = if weighs { window.grown(r, sheet.width, sheet.height) } else { window };
        let wide = Window { level, ..wide };
        let smaller = |alpha: &Plane<u8>| alpha.smaller(wide.level, wide.area());
        let part = if known {
            match &*self.lifted(sheet, inking, dpi) {
                Err(e) => return Err(e.clone()),
                Ok((ink, _)) => smaller(&ink.alpha),
            }
        } else if same_cover {
            let known = self.base.as_ref().is_some_and(|(k, _)| *k == Stages::base_key(recipe, by_hand));
            let scratch = self.scratch.take().unwrap_or(Plane::empty());
            let alpha = if let Some(base) = self.base.as_ref().filter(|(k, _)| !known && k.0 == cover_key(recipe)) {
                // From afar the small pieces found at other points will do: looking for them costs more than all else.
                let base = base.1.clone();
                let covered = self.covered(sheet, recipe)?;
                let painted = self.painted(by_hand, sheet.width, sheet.height);
                let c = &covered.coverage;
                let (coverage, removed, peaks) = (&c.plane, &c.removed, &covered.peaks);
                let points = lift::points_of(recipe, c);
                let alpha = Cutting { coverage, removed, peaks, points, recipe, painted: &painted }.alpha(scratch);
                base.settle_on(alpha, recipe, &by_hand.protected, dpi)
            } else if known {
                self.base(sheet, recipe, by_hand, dpi)?.finish_into(scratch, recipe, &by_hand.protected, dpi)
            } else {
                self.new_base(scratch, sheet, recipe, by_hand, dpi)?.into_alpha(recipe, &by_hand.protected, dpi)
            };
            let part = smaller(&alpha);
            self.scratch = Some(alpha);
            part
        } else {
            let (mut alpha, _) = self.part_of_cover(sheet, recipe, wide)?;
            // Averaged coverage is averaged alpha, but where it is paper.
            let least = recipe.points.map_or(0.26, |p| p.paper) * 255.0 * 0.5;
            let peaks = lift::peaks_of(&alpha);
            alpha.data.iter_mut().zip(&peaks.data).for_each(|(a, &p)| {
                if f64::from(p) < least || *a < 14 {
                    *a = 0;
                }
            });
            alpha
        };
        if !weighs {
            return Ok(part);
        }
        let lifted = self.lifted.as_ref().map(|l| l.2.clone());
        let weighed = match &lifted {
            Some(lifted) => self.weigh(&part, lifted, inking, wide, dpi),
            None => part,
        };
        let k = 1usize << level;
        let [x, y] = [(window.x - wide.x) / k, (window.y - wide.y) / k];
        let (w, h) =
            (window.width.div_ceil(k).min(weighed.width - x), window.height.div_ceil(k).min(weighed.height - y));
        Ok(weighed.smaller(window.level - level, [x, y, w, h]))
    }

    /// What tracing would give, drawn as a window shows it, and the lines (those of the part alone, unless `whole`).
    pub fn traced(
        &mut self,
        sheet: &Plane<Rgb>,
        inking: &Inking,
        recipe: &TraceRecipe,
        kept: &Spared,
        (window, whole): (Window, bool),
        dpi: f64,
    ) -> Result<(Plane<u8>, Arc<Vec<Line>>), Error> {
        recipe.check()?;
        let window = window.on(sheet.width, sheet.height);
        let inked = self.ink(sheet, inking, dpi);
        let (ink, _) = (*inked).as_ref().map_err(Clone::clone)?;
        let known = self.traced.as_ref().filter(|(r, k, _)| {
            r == recipe && k == kept && self.boned.as_ref().is_some_and(|b| Arc::ptr_eq(&b.of, &inked))
        });
        let lines = if let Some((.., lines)) = known {
            lines.clone()
        } else if whole || 2 * window.width * window.height > sheet.width * sheet.height {
            let boned = self.boned(&inked, &ink.alpha, &kept.erased);
            let lines = trace_bones(&boned.bones, &boned.alpha, recipe, dpi, 1);
            let lines = Arc::new(without_covered(lines, &kept.lines, 1));
            self.traced = Some((recipe.clone(), kept.clone(), lines.clone()));
            lines
        } else {
            // Far enough around that lines run into the part as they do on the whole sheet.
            let around = window.grown(64, sheet.width, sheet.height);
            let shift = crate::geom::pt(around.x as f64, around.y as f64);
            let mut alpha = ink.alpha.part(around.area());
            kept.erased.iter().for_each(|e| e.moved(shift * -1.0).apply(&mut alpha));
            let lines = trace_bones(&Bones::of(&alpha), &alpha, recipe, dpi, 1);
            let lines = lines.into_iter().map(|l| l.moved(shift)).collect();
            Arc::new(without_covered(lines, &kept.lines, 1))
        };
        let k = 1usize << window.level;
        let mut alpha = Plane::new(window.width.div_ceil(k), window.height.div_ceil(k), 0u8);
        lines.iter().for_each(|l| pixels::draw_seen(&mut alpha, l, window));
        kept.lines.iter().for_each(|l| pixels::draw_seen(&mut alpha, l, window));
        Ok((alpha, lines))
    }

    /// The bones of the ink that is traced.
    fn boned(&mut self, inked: &Arc<Inked>, alpha: &Plane<u8>, erased: &[Numbered<Erasure>]) -> Arc<Boned> {
        if let Some(b) = &self.boned
            && Arc::ptr_eq(&b.of, inked)
            && b.erased == erased
        {
            return b.clone();
        }
        // The old ones go first: they are large.
        self.boned = None;
        let mut alpha = alpha.clone();
        erased.iter().for_each(|e| e.apply(&mut alpha));
        let bones = Bones::of(&alpha);
        let made = Arc::new(Boned { of: inked.clone(), erased: erased.to_vec(), alpha, bones });
        self.boned = Some(made.clone());
        made
    }

    /// How much of each pixel is taken for pencil and goes, 0 to 255, in a part of the sheet.
    pub fn caught(&mut self, sheet: &Plane<Rgb>, recipe: &LiftRecipe, window: Window) -> Result<Plane<u8>, Error> {
        recipe.check()?;
        let window = window.on(sheet.width, sheet.height);
        if self.covered.as_ref().is_some_and(|(k, _)| *k == cover_key(recipe)) {
            let covered = self.covered(sheet, recipe)?;
            return Ok(covered.coverage.removed.smaller(window.level, window.area()));
        }
        Ok(self.part_of_cover(sheet, recipe, window)?.1)
    }

    /// Ink and pencil coverage of a part of the sheet, computed on the sheet made smaller.
    fn part_of_cover(
        &mut self,
        sheet: &Plane<Rgb>,
        recipe: &LiftRecipe,
        window: Window,
    ) -> Result<(Plane<u8>, Plane<u8>), Error> {
        let analysis = self.analysis(sheet, recipe.polarity);
        let analysis = (*analysis).as_ref().map_err(Clone::clone)?;
        if window.level == 0 {
            return Ok(analysis.cover_part(sheet, recipe, 0, window.area()));
        }
        let small = self.smaller(sheet, window.level);
        let k = 1usize << window.level;
        let [x, y] = [window.x / k, window.y / k];
        let w = window.width.div_ceil(k).min(small.width - x);
        let h = window.height.div_ceil(k).min(small.height - y);
        Ok(analysis.cover_part(&small, recipe, window.level, [x, y, w, h]))
    }

    /// A part of the ink at full size, computed from that part of the sheet alone.
    fn part(&mut self, sheet: &Plane<Rgb>, inking: &Inking, window: Window, dpi: f64) -> Result<Plane<u8>, Error> {
        let (recipe, by_hand) = (&inking.lift, &inking.by_hand);
        let (w, h) = (sheet.width, sheet.height);
        // Specks that reach into the window are seen whole, as are the lines its peaks belong to.
        let px2 = px_per_mm(dpi).powi(2);
        let margin = (recipe.specks.max(recipe.pinholes) * px2).ceil().clamp(16.0, 160.0) as usize;
        let wide = window.grown(margin, w, h);
        let cut = wide.area();
        let same_cover = self.covered.as_ref().is_some_and(|(k, _)| *k == cover_key(recipe));
        let automatic = self.covered.as_ref().map(|(_, c)| lift::points_of(recipe, &c.coverage));
        let (plane, removed) = if same_cover {
            let c = self.covered(sheet, recipe)?;
            (c.coverage.plane.part(cut), c.coverage.removed.part(cut))
        } else {
            let analysis = self.analysis(sheet, recipe.polarity);
            (*analysis).as_ref().map_err(Clone::clone)?.cover_part(sheet, recipe, 0, cut)
        };
        let points = match recipe.points.or(automatic) {
            Some(points) => points,
            None => lift::points_of(recipe, &self.covered(sheet, recipe)?.coverage),
        };
        let peaks = lift::peaks_of(&plane);
        let painted = self.painted(by_hand, w, h).part(cut);
        let (coverage, removed) = (&plane, &removed);
        let cutting = Cutting { coverage, removed, peaks: &peaks, points, recipe, painted: &painted };
        let base = Base::of(cutting, Plane::empty(), dpi, true);
        let shift = crate::geom::pt(wide.x as f64, wide.y as f64);
        let protected: Vec<_> = by_hand.protected.iter().map(|&p| p - shift).collect();
        let mut alpha = base.into_alpha(recipe, &protected, dpi);
        if inking.weight.amount != 0.0 {
            let lifted = self.lifted(sheet, inking, dpi);
            alpha = self.weigh(&alpha, &lifted, inking, wide, dpi);
        }
        Ok(alpha.part([window.x - wide.x, window.y - wide.y, window.width, window.height]))
    }
}
