//! Colours by their use, for true colour, 256, 16 and none. Never colour alone: signs and words say it too.

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
}

type Shades = ((u8, u8, u8), u8, Color);

const GROUND: Shades = ((15, 21, 28), 233, Color::Reset);
const TEXT: Shades = ((222, 214, 196), 187, Color::Reset);
const DIM: Shades = ((132, 134, 134), 245, Color::DarkGray);
const FAINT: Shades = ((74, 82, 90), 239, Color::DarkGray);
const PANEL: Shades = ((36, 46, 56), 236, Color::Reset);
const OTHER: Shades = ((54, 62, 70), 238, Color::DarkGray);
const AMBER: Shades = ((232, 178, 84), 179, Color::Yellow);
const RED: Shades = ((226, 98, 84), 167, Color::LightRed);
const GREEN: Shades = ((136, 178, 126), 108, Color::Green);
const INK: Shades = ((16, 18, 22), 233, Color::Black);
/// Muted colours of launchers, in the order in which launchers are found.
const CARGO: [Shades; 6] = [
    ((92, 138, 128), 66, Color::Cyan),
    ((96, 116, 168), 67, Color::Blue),
    ((134, 112, 158), 97, Color::Magenta),
    ((148, 140, 92), 101, Color::Green),
    ((166, 116, 128), 132, Color::LightMagenta),
    ((112, 134, 150), 103, Color::LightBlue),
];

impl Theme {
    fn shade(self, (rgb, index, sixteen): Shades) -> Color {
        match self.depth {
            Depth::True => Color::Rgb(rgb.0, rgb.1, rgb.2),
            Depth::Indexed => Color::Indexed(index),
            Depth::Sixteen => sixteen,
            Depth::None => Color::Reset,
        }
    }

    fn fore(self, shades: Shades) -> Style {
        Style::new().fg(self.shade(shades)).bg(self.shade(GROUND))
    }

    pub fn ground(self) -> Style {
        self.fore(TEXT)
    }

    pub fn text(self) -> Style {
        self.fore(TEXT)
    }

    pub fn strong(self) -> Style {
        self.fore(TEXT).add_modifier(Modifier::BOLD)
    }

    pub fn dim(self) -> Style {
        if self.depth == Depth::None { Style::new() } else { self.fore(DIM) }
    }

    pub fn faint(self) -> Style {
        if self.depth == Depth::None { Style::new().add_modifier(Modifier::DIM) } else { self.fore(FAINT) }
    }

    /// What will move, and nothing else.
    pub fn moving(self) -> Style {
        self.fore(AMBER)
    }

    /// A stop or a difference, and nothing else.
    pub fn danger(self) -> Style {
        if self.depth == Depth::None { Style::new().add_modifier(Modifier::BOLD) } else { self.fore(RED) }
    }

    /// What is proved.
    pub fn good(self) -> Style {
        self.fore(GREEN)
    }

    /// The name of the program, and the view one is in.
    pub fn badge(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(INK)).bg(self.shade(TEXT)).add_modifier(Modifier::BOLD)
    }

    /// The line under the cursor.
    pub fn cursor(self) -> Style {
        if matches!(self.depth, Depth::None | Depth::Sixteen) {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(TEXT)).bg(self.shade(PANEL))
    }

    /// A block of a launcher's games.
    pub fn cargo(self, launcher: usize) -> Style {
        if self.depth == Depth::None {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(INK)).bg(self.shade(CARGO[launcher % CARGO.len()]))
    }

    /// A block that will leave: hollow, in its launcher's colour.
    pub fn hollow(self, launcher: usize) -> Style {
        if self.depth == Depth::None {
            return Style::new().add_modifier(Modifier::DIM);
        }
        Style::new().fg(self.shade(CARGO[launcher % CARGO.len()])).bg(self.shade(PANEL))
    }

    /// A block that will have arrived.
    pub fn arriving(self) -> Style {
        if self.depth == Depth::None {
            return Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD);
        }
        Style::new().fg(self.shade(INK)).bg(self.shade(AMBER))
    }

    /// Files that belong to no game.
    pub fn other(self) -> Style {
        if self.depth == Depth::None {
            return Style::new();
        }
        let ink = if self.depth == Depth::Sixteen { Color::White } else { self.shade(DIM) };
        Style::new().fg(ink).bg(self.shade(OTHER))
    }

    /// Held originals: hatched, since they still take room.
    pub fn held(self) -> Style {
        if self.depth == Depth::None { Style::new() } else { Style::new().fg(self.shade(DIM)).bg(self.shade(PANEL)) }
    }

    /// A changed piece of a record.
    pub fn changed(self) -> Style {
        self.fore(AMBER).add_modifier(Modifier::UNDERLINED)
    }
}
