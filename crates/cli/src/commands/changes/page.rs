//! A plan of changes as a page: what waits for what, drawn, and each step with what can go wrong and what taking it back means.
//! What the network says is escaped by the template.

use std::path::Path;

use lantern_core::change::ChangePlan;
use minijinja::context;
use serde::Serialize;

use super::show;
use crate::failure::Failure;
use crate::files;
use crate::output::{counted, page};

const TEMPLATE: &str = include_str!("page.html");
const BOX: (usize, usize) = (190, 44);
const GAP: (usize, usize) = (70, 14);
/// The most letters of a name in a box.
const MOST_LETTERS: usize = 20;

#[derive(Debug, Serialize)]
struct Drawn {
    number: usize,
    name: String,
    what: String,
    says: String,
    parks: bool,
    x: usize,
    y: usize,
    changes: Vec<String>,
    waits: Vec<String>,
    risks: Vec<String>,
    undoing: String,
}

#[derive(Debug, Serialize)]
struct Arrow {
    from_x: usize,
    from_y: usize,
    to_x: usize,
    to_y: usize,
    says: String,
}

#[derive(Debug, Serialize)]
struct Left<'a> {
    name: &'a str,
    why: &'a str,
}

/// Writes the page.
pub(crate) fn write(plan: &ChangePlan, title: &str, path: &Path) -> Result<(), Failure> {
    let failed = |error: minijinja::Error| Failure::Page { path: path.to_owned(), why: error.to_string() };
    files::write_over(path, &render(plan, title).map_err(failed)?)
}

fn render(plan: &ChangePlan, title: &str) -> Result<String, minijinja::Error> {
    let boxes = boxes(plan);
    let arrows: Vec<Arrow> = (0..plan.changes.len()).flat_map(|place| arrows(plan, place, &boxes)).collect();
    let far = |of: fn(&Drawn) -> usize, size: usize| boxes.iter().map(of).max().unwrap_or(0) + size + 1;
    let findings = page::judged(&plan.findings);
    let left: Vec<Left<'_>> = plan.untouched.iter().map(|one| Left { name: &one.name, why: &one.why }).collect();
    let about = format!(
        "{} of {}; {} of them one after the other",
        counted(plan.changes.len(), "change"),
        counted(show::count_of_nodes(plan), "node"),
        plan.graph.depth()
    );
    let values = context! {
        title, about, findings, arrows, left,
        width => far(|one| one.x, BOX.0), height => far(|one| one.y, BOX.1),
        boxes, box_width => BOX.0, box_height => BOX.1,
    };
    page::render(TEMPLATE, values)
}

/// One box for each change: its column is how many stand before it at least.
fn boxes(plan: &ChangePlan) -> Vec<Drawn> {
    let mut columns: Vec<usize> = Vec::new();
    let mut used: Vec<usize> = Vec::new();
    let mut all = Vec::new();
    for (place, change) in plan.changes.iter().enumerate() {
        let waits = plan.graph.waits(place);
        let column = waits.iter().map(|wait| columns[wait.on] + 1).max().unwrap_or(0);
        columns.push(column);
        used.resize(used.len().max(column + 1), 0);
        let row = used[column];
        used[column] += 1;
        let title = change.subject.title();
        let name: String = title.chars().take(MOST_LETTERS).collect();
        let address = change.new_address().filter(|to| *to != change.subject.address());
        let what = match address {
            Some(to) => format!("{} to {to}", change.subject.address()),
            None => counted(change.differences.len(), "setting"),
        };
        all.push(Drawn {
            number: place + 1,
            name,
            what,
            says: title,
            parks: plan.graph.is_parking(place),
            x: column * (BOX.0 + GAP.0) + 1,
            y: row * (BOX.1 + GAP.1) + 1,
            changes: change.differences.iter().map(|one| show::steps_of(std::slice::from_ref(one))).collect(),
            waits: waits.iter().map(|wait| show::waits(plan, wait)).collect(),
            risks: change.risks(),
            undoing: change.undoing(),
        });
    }
    all
}

fn arrows(plan: &ChangePlan, place: usize, boxes: &[Drawn]) -> Vec<Arrow> {
    let to = &boxes[place];
    let arrow = |wait: &lantern_core::change::Wait| {
        let from = &boxes[wait.on];
        Arrow {
            from_x: from.x + BOX.0,
            from_y: from.y + BOX.1 / 2,
            to_x: to.x,
            to_y: to.y + BOX.1 / 2,
            says: show::waits(plan, wait),
        }
    };
    plan.graph.waits(place).iter().map(arrow).collect()
}
