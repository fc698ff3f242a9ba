//! What can go wrong in the computation, told in the words of the job.

#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Error {
    #[error("the picture is {0} x {1} pixels; a sheet needs at least 8 x 8")]
    TooSmall(usize, usize),
    #[error("no ink was found on this sheet")]
    NoInk,
    #[error("the whole sheet is ink: there is no paper to tell it from")]
    AllInk,
    #[error("line {0} is not in this drawing")]
    NoSuchLine(u64),
    #[error("this finding is no longer there: {0}")]
    NoSuchFinding(String),
    #[error("there is no region at {0:.0}, {1:.0} that paint could fill")]
    NoRegion(f64, f64),
    #[error("the recipe's {name} is {value}, allowed is {from} to {to}")]
    Recipe { name: &'static str, value: f64, from: f64, to: f64 },
    #[error("the colour model has no {0}: give the swatch that tone first")]
    NoTone(String),
    #[error("{0} is not a swatch of the colour model")]
    NoSuchSwatch(String),
    #[error("the place {0}, {1} is not on the sheet")]
    OffSheet(f64, f64),
    #[error("the picture would be {0} x {1} pixels; up to {2} megapixels go out")]
    TooLarge(usize, usize, usize),
    #[error("{0}")]
    Mismatch(&'static str),
}
