//! Colours by their use, on a dark or a light ground, for true colour, 256, 16 and none. Never colour alone: signs and words
//! say it too.

use crate::config::Ground;
use ratatui::style::{Color, Modifier, Style};

/// How many colours the terminal has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    True,
    Indexed,
    Sixteen,
    None,
}

impl Depth {
    /// Reads what the environment says: `NO_COLOR` (set and not empty), `COLORTERM`, `TERM`.
    pub fn of_environment() -> Self {
        let says = |name: &str| std::env::var(name).unwrap_or_default();
        if !says("NO_COLOR").is_empty() || says("TERM") == "dumb" {
            return Self::None;
        }
        if matches!(says("COLORTERM").as_str(), "truecolor" | "24bit") {
            return Self::True;
        }
        if says("TERM").contains("256color") { Self::Indexed } else { Self::Sixteen }
    }
}

/// The styles of everything that is drawn.
#[derive(Clone, Copy, Debug)]
pub struct Theme {
    pub depth: Depth,
    pub ground: Ground,
}

type Rgb = (u8, u8, u8);

/// A colour on a dark ground and on a light one: in full, of 256, of 16.
struct Shades {
    dark: (Rgb, u8, Color),
    light: (Rgb, u8, Color),
}

const fn shades(dark: (Rgb, u8, Color), light: (Rgb, u8, Color)) -> Shades {
    Shades { dark, light }
}

const GROUND: Shades = shades(((15, 21, 28), 233, Color::Reset), ((243, 238, 227), 255, Color::Reset));
const TEXT: Shades = shades(((222, 214, 196), 187, Color::Reset), ((38, 42, 46), 235, Color::Reset));
const DIM: Shades = shades(((150, 152, 150), 248, Color::DarkGray), ((84, 84, 80), 239, Color::DarkGray));
/// Lines and dots, and no text.
const FAINT: Shades = shades(((74, 82, 90), 239, Color::DarkGray), ((176, 172, 160), 249, Color::DarkGray));
const PANEL: Shades = shades(((36, 46, 56), 235, Color::Reset), ((222, 214, 198), 253, Color::Reset));
const OTHER: Shades = shades(((54, 62, 70), 237, Color::DarkGray), ((202, 196, 182), 251, Color::DarkGray));
/// Text on what belongs to no game.
const OTHER_INK: Shades = shades(((184, 184, 176), 250, Color::White), ((70, 70, 66), 238, Color::White));
const AMBER: Shades = shades(((232, 178, 84), 179, Color::Yellow), ((122, 74, 2), 58, Color::Yellow));
/// The ground of what will have arrived.
const AMBER_BLOCK: Shades = shades(((232, 178, 84), 179, Color::Yellow), ((230, 172, 72), 179, Color::Yellow));
const RED: Shades = shades(((236, 116, 102), 210, Color::LightRed), ((172, 40, 34), 124, Color::Red));
const GREEN: Shades = shades(((136, 178, 126), 108, Color::Green), ((44, 92, 42), 22, Color::Green));
const INK: Shades = shades(((16, 18, 22), 233, Color::Black), ((16, 18, 22), 233, Color::Black));
/// Muted colours of launchers, in the order in which launchers are found; of sixteen colours four are no glare
/// and hold black text, and a pattern tells the rest.
const CARGO: [Shades; LAUNCHERS] = [
    shades(((82, 169, 162), 73, Color::Cyan), ((96, 189, 181), 73, Color::Cyan)),
    shades(((124, 153, 205), 104, Color::Magenta), ((140, 171, 228), 110, Color::Magenta)),
    shades(((168, 138, 192), 139, Color::Green), ((188, 155, 214), 146, Color::Green)),
    shades(((140, 162, 103), 107, Color::Gray), ((158, 181, 118), 143, Color::Gray)),
    shades(((193, 142, 157), 174, Color::Cyan), ((218, 158, 175), 181, Color::Cyan)),
    shades(((117, 189, 214), 110, Color::Magenta), ((125, 202, 229), 81, Color::Magenta)),
    shades(((154, 212, 180), 115, Color::Green), ((169, 224, 193), 151, Color::Green)),
    shades(((193, 189, 243), 182, Color::Gray), ((206, 202, 253), 189, Color::Gray)),
    shades(((241, 178, 172), 217, Color::Cyan), ((252, 192, 186), 217, Color::Cyan)),
    shades(((227, 178, 216), 218, Color::Magenta), ((239, 192, 227), 218, Color::Magenta)),
    shades(((199, 201, 144), 151, Color::Green), ((211, 214, 161), 187, Color::Green)),
    shades(((181, 223, 241), 153, Color::Gray), ((194, 236, 254), 254, Color::Gray)),
];

/// Launchers that look different from one another.
const LAUNCHERS: usize = 12;

/// Colours of a terminal with sixteen that launchers may have.
const OF_SIXTEEN: usize = 4;

/// Patterns that tell launchers apart where colours don't. What has arrived and what is kept have signs of their own.
const PATTERNS: [&str; LAUNCHERS] = [" ", "-", ":", "=", ".", "x", "~", "o", "|", "*", "^", "%"];

impl Theme {
    fn shade(self, shades: &Shades) -> Color {
        let (rgb, index, sixteen) = match self.ground {
            Ground::Dark => shades.dark,
            Ground::Light => shades.light,
        };
        match self.depth {
            Depth::True => Color::Rgb(rgb.0, rgb.1, rgb.2),
            Depth::Indexed => Color::Indexed(index),
            Depth::Sixteen => sixteen,
            Depth::None => Color::Reset,
        }
    }

    /// Whether signs have to do what colours do elsewhere.
    pub fn plain(self) -> bool {
        self.depth == Depth::None
    }

    fn fore(self, shades: &Shades) -> Style {
        Style::new().fg(self.shade(shades)).bg(self.shade(&GROUND))
    }

    pub fn ground(self) -> Style {
        self.fore(&TEXT)
    }

    pub fn text(self) -> Style {
        self.fore(&TEXT)
    }

    pub fn strong(self) -> Style {
        self.fore(&TEXT).add_modifier(Modifier::BOLD)
    }

    pub fn dim(self) -> Style {
        if self.plain() { Style::new() } else { self.fore(&DIM) }
    }

    pub fn faint(self) -> Style {
        if self.plain() { Style::new().add_modifier(Modifier::DIM) } else { self.fore(&FAINT) }
    }

    /// What will move, and nothing else.
    pub fn moving(self) -> Style {
        self.fore(&AMBER)
    }

    /// A stop or a difference, and nothing else.
    pub fn danger(self) -> Style {
        if self.plain() { Style::new().add_modifier(Modifier::BOLD) } else { self.fore(&RED) }
    }

    /// What is proved.
    pub fn good(self) -> Style {
        self.fore(&GREEN)
    }

    /// The view one is in, and the drive in focus.
    pub fn badge(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(&GROUND)).bg(self.shade(&TEXT)).add_modifier(Modifier::BOLD)
    }

    /// The line under the cursor.
    pub fn cursor(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(&TEXT)).bg(self.shade(&PANEL))
    }

    /// The tag of a drive that is not in focus.
    pub fn tag(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) { self.text() } else { self.cursor() }
    }

    /// A sheet over the view.
    pub fn sheet(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) {
            return Style::new();
        }
        self.cursor()
    }

    /// A block of a launcher's games.
    pub fn game(self, launcher: usize) -> Style {
        if self.plain() {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(&INK)).bg(self.shade(&CARGO[launcher % CARGO.len()]))
    }

    /// The sign that fills the blocks of a launcher's games.
    pub fn pattern(self, launcher: usize) -> &'static str {
        let alike = match self.depth {
            Depth::True | Depth::Indexed => LAUNCHERS,
            Depth::Sixteen => OF_SIXTEEN,
            Depth::None => 1,
        };
        PATTERNS[launcher % LAUNCHERS / alike]
    }

    /// A block that will leave: hollow, in its launcher's colour.
    pub fn hollow(self, launcher: usize) -> Style {
        if self.plain() {
            return Style::new().add_modifier(Modifier::DIM);
        }
        let ink = if self.ground == Ground::Light { &DIM } else { &CARGO[launcher % CARGO.len()] };
        Style::new().fg(self.shade(ink)).bg(self.shade(&PANEL))
    }

    /// A block that will have arrived.
    pub fn arriving(self) -> Style {
        if self.plain() {
            return Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD);
        }
        Style::new().fg(self.shade(&INK)).bg(self.shade(&AMBER_BLOCK))
    }

    /// Files that belong to no game.
    pub fn other(self) -> Style {
        if self.plain() {
            return Style::new();
        }
        Style::new().fg(self.shade(&OTHER_INK)).bg(self.shade(&OTHER))
    }

    /// Held originals: hatched, since they still take room.
    pub fn held(self) -> Style {
        if self.plain() { Style::new() } else { Style::new().fg(self.shade(&OTHER_INK)).bg(self.shade(&PANEL)) }
    }

    /// A changed piece of a record.
    pub fn changed(self) -> Style {
        self.fore(&AMBER).add_modifier(Modifier::UNDERLINED)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The colours of the 256 that are the same in every terminal (xterm's cube and its greys).
    fn rgb(color: Color) -> Rgb {
        match color {
            Color::Rgb(r, g, b) => (r, g, b),
            Color::Indexed(n @ 232..) => (8 + 10 * (n - 232), 8 + 10 * (n - 232), 8 + 10 * (n - 232)),
            Color::Indexed(n @ 16..) => {
                let part = |n: u8| if n == 0 { 0 } else { 55 + 40 * n };
                (part((n - 16) / 36), part((n - 16) / 6 % 6), part((n - 16) % 6))
            }
            other => panic!("{other} has no one colour"),
        }
    }

    /// Contrast of two colours (WCAG 2.2, "contrast ratio").
    fn contrast(one: Color, other: Color) -> f64 {
        let linear = |part: u8| {
            let part = f64::from(part) / 255.0;
            if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
        };
        let light = |color: Color| {
            let (r, g, b) = rgb(color);
            0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b)
        };
        let (one, other) = (light(one) + 0.05, light(other) + 0.05);
        one.max(other) / one.min(other)
    }

    fn front(style: Style) -> Color {
        style.fg.expect("a colour of text")
    }

    fn behind(style: Style) -> Color {
        style.bg.expect("a colour behind it")
    }

    fn themes() -> impl Iterator<Item = Theme> {
        let of = |ground| [Depth::True, Depth::Indexed].map(|depth| Theme { depth, ground });
        [Ground::Dark, Ground::Light].into_iter().flat_map(of)
    }

    #[test]
    fn every_text_stands_out_from_what_is_behind_it() {
        for theme in themes() {
            let ground = behind(theme.ground());
            let panel = behind(theme.sheet());
            let texts = [
                theme.text(),
                theme.strong(),
                theme.dim(),
                theme.moving(),
                theme.danger(),
                theme.good(),
                theme.changed(),
            ];
            for (n, style) in texts.into_iter().enumerate() {
                for back in [ground, panel] {
                    let has = contrast(front(style), back);
                    assert!(has >= 4.5, "{theme:?}: text {n} on {back}: {has:.2}");
                }
            }
            let blocks = (0..LAUNCHERS).flat_map(|n| [theme.game(n), theme.hollow(n)]);
            let own = [theme.arriving(), theme.other(), theme.held(), theme.badge(), theme.cursor(), theme.tag()];
            for (n, style) in blocks.chain(own).enumerate() {
                let has = contrast(front(style), behind(style));
                assert!(has >= 4.5, "{theme:?}: block {n}: {has:.2}");
            }
        }
    }

    #[test]
    fn twelve_launchers_look_different_in_every_terminal() {
        for depth in [Depth::True, Depth::Indexed, Depth::Sixteen, Depth::None] {
            for ground in [Ground::Dark, Ground::Light] {
                let theme = Theme { depth, ground };
                let mut looks: Vec<(Style, &str)> = (0..LAUNCHERS).map(|n| (theme.game(n), theme.pattern(n))).collect();
                let all = looks.len();
                looks.sort_by_key(|look| format!("{look:?}"));
                looks.dedup();
                assert_eq!(looks.len(), all, "{theme:?}");
                assert!(!looks.iter().any(|(style, _)| *style == theme.arriving()), "{theme:?}");
            }
        }
    }
}
