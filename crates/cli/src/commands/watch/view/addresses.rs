//! Who stands where: a block of 256 addresses each.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_core::conversation::Watch;
use lantern_core::watch::{State, Watched};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::View;
use crate::output::Tone;

/// Addresses in a line.
const IN_LINE: u32 = 64;
/// Addresses in a block.
const IN_BLOCK: u32 = 256;

impl View {
    /// The blocks in which somebody stands, with whoever stands there.
    pub(super) fn blocks<'w>(&self, watch: &'w Watch) -> BTreeMap<u32, BTreeMap<u32, Vec<&'w Watched>>> {
        let mut blocks: BTreeMap<u32, BTreeMap<u32, Vec<&Watched>>> = BTreeMap::new();
        for one in watch.board().watched().filter(|one| !one.address.is_unspecified()) {
            let (block, place) = (u32::from(one.address) / IN_BLOCK, u32::from(one.address) % IN_BLOCK);
            blocks.entry(block).or_default().entry(place).or_default().push(one);
        }
        blocks
    }

    pub(super) fn draw_addresses(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch) {
        let mut lines: Vec<Line<'_>> = Vec::new();
        let legend = "o answers   ? heard   ! partly   x silent   - not seen   2 held twice   · nobody seen";
        lines.push(Span::styled(legend, self.look.of(Tone::Faint)).into());
        for (block, places) in self.blocks(watch).into_iter().skip(self.row) {
            let first = Ipv4Addr::from(block * IN_BLOCK);
            let is_near = self.subnets.iter().any(|subnet| {
                places.keys().any(|place| subnet.contains(Ipv4Addr::from(block * IN_BLOCK + place)))
            });
            let far = if is_near { "" } else { "  in no subnet of this computer" };
            lines.push(Line::from(vec![
                Span::styled(format!("{first}"), self.look.of(Tone::Strong)),
                Span::styled(far, self.look.of(Tone::Doubtful)),
            ]));
            for start in (0..IN_BLOCK).step_by(64) {
                let mut spans = vec![Span::styled(format!("{start:>5} "), self.look.of(Tone::Faint))];
                spans.extend((start..start + IN_LINE).map(|place| self.sign(places.get(&place))));
                lines.push(spans.into());
            }
        }
        frame.render_widget(Paragraph::new(lines), area);
    }

    fn sign(&self, holders: Option<&Vec<&Watched>>) -> Span<'static> {
        let (sign, tone) = match holders.map(Vec::as_slice) {
            None | Some([]) => ("·", Tone::Faint),
            Some([one]) => match one.state {
                State::Answers => ("o", Tone::Good),
                State::Heard => ("?", Tone::Plain),
                State::Lacks(_) | State::OnlyHeard => ("!", Tone::Doubtful),
                State::Silent => ("x", Tone::Bad),
                State::NotSeen => ("-", Tone::Bad),
            },
            Some([..]) => ("2", Tone::Bad),
        };
        Span::styled(sign, self.look.of(tone))
    }
}
