//! The readiness report: a page that can be read on a screen and printed, and the same as JSON.

use crate::api::Facts;
use rhizograph_formats::svg::escape;
use serde::Serialize;
use std::fmt::Write;

/// What is told of a shot.
#[derive(Debug, Serialize)]
pub struct Report {
    pub production: String,
    pub shot: String,
    pub drawings: Vec<Facts>,
}

/// As JSON; pictures are left to the page.
pub fn json(report: &Report) -> String {
    let mut value = serde_json::to_value(report).unwrap_or_default();
    for drawing in value["drawings"].as_array_mut().into_iter().flatten() {
        if let Some(told) = drawing.as_object_mut() {
            told.remove("thumbnail");
        }
    }
    format!("{value:#}\n")
}

const STYLE: &str = "
@page { size: A4; margin: 14mm }
:root { color-scheme: light }
body { font: 14px/1.45 'Atkinson Hyperlegible Next', 'Atkinson Hyperlegible', system-ui, sans-serif; color: #2A2822; background: #F7F2E6; margin: 0 auto; max-width: 960px; padding: 24px }
h1 { font: 600 26px/1.2 Fraunces, Georgia, serif; margin: 0 }
.sum { margin: 4px 0 20px }
article { display: grid; grid-template-columns: 200px 1fr; gap: 20px; border-top: 2px solid #2F5D50; padding: 14px 0; break-inside: avoid }
article.not { border-top-color: #CB4B36 }
img { width: 200px; height: auto; border: 1px solid #D8CDB5; background: #fff }
h2 { font: 600 18px/1.2 Fraunces, Georgia, serif; margin: 0 0 4px }
.state { font-weight: 700 }
.not .state { color: #A5341F }
ul { margin: 2px 0 8px; padding-left: 20px }
.small { color: #5b574c }
.swatches { display: flex; flex-wrap: wrap; gap: 4px 16px; margin: 6px 0 0; padding: 0; list-style: none; font-variant-numeric: tabular-nums }
.swatches i { display: inline-block; width: 14px; height: 14px; border: 1px solid #2A2822; border-radius: 3px; vertical-align: -2px; margin-right: 6px }
@media print { body { background: #fff; padding: 0; max-width: none } }
";

fn count(n: usize, one: &str, many: &str) -> String {
    format!("{n} {}", if n == 1 { one } else { many })
}

fn drawing(out: &mut String, d: &Facts) {
    let state = match (d.reasons.is_empty(), d.goes_out) {
        (true, _) => "Ready",
        (false, true) => "Not ready, goes out all the same",
        (false, false) => "Not ready",
    };
    let class = if d.reasons.is_empty() { "" } else { " class=\"not\"" };
    let name = escape(&d.name);
    let last = d.first_frame + d.hold - 1;
    let frames = if d.hold == 1 { format!("Frame {last}") } else { format!("Frames {} to {last}", d.first_frame) };
    let _ = write!(
        out,
        "<article{class}><img alt=\"{name}\" src=\"data:image/png;base64,{}\"><div><h2>{name}</h2><div class=\"state\">{state}</div><div class=\"small\">{frames} · revision {}</div>",
        d.thumbnail, d.revision
    );
    let mut list = |title: &str, items: Vec<String>| {
        if !items.is_empty() {
            let _ = write!(out, "<b>{title}</b><ul>");
            items.iter().for_each(|i| out.push_str(&format!("<li>{i}</li>")));
            out.push_str("</ul>");
        }
    };
    list("In the way", d.reasons.iter().map(|r| escape(r)).collect());
    list("Open", d.open.iter().map(|o| format!("{} × {}", o.count, escape(&o.says))).collect());
    let left = d.left.iter().map(|l| {
        let by = l.by.as_ref().map_or(String::new(), |by| format!(", by {}", escape(by)));
        format!("{} at {:.0}, {:.0} px{by}", escape(&l.says), l.at.x, l.at.y)
    });
    list("Left knowingly", left.collect());
    if !d.swatches.is_empty() {
        out.push_str("<ul class=\"swatches\">");
        for s in &d.swatches {
            let [r, g, b] = s.colour.unwrap_or([255; 3]);
            let _ = write!(
                out,
                "<li><i style=\"background:rgb({r},{g},{b})\"></i>{} {:.1} mm²</li>",
                escape(&s.name),
                s.mm2
            );
        }
        if d.unpainted_mm2 > 0.0 {
            let _ = write!(out, "<li>unpainted {:.1} mm²</li>", d.unpainted_mm2);
        }
        out.push_str("</ul>");
    }
    out.push_str("</div></article>\n");
}

/// As a page that needs nothing beside it.
pub fn html(report: &Report) -> String {
    let ready = report.drawings.iter().filter(|d| d.reasons.is_empty()).count();
    let (shot, production) = (escape(&report.shot), escape(&report.production));
    let mut out = format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{shot}: readiness</title><style>{STYLE}</style></head><body>\n<h1>{shot}</h1><div class=\"sum\">{production} · {ready} of {} ready</div>\n",
        count(report.drawings.len(), "drawing", "drawings")
    );
    report.drawings.iter().for_each(|d| drawing(&mut out, d));
    out.push_str("</body></html>\n");
    out
}
