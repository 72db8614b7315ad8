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
const DIM: Shades = shades(((132, 134, 134), 245, Color::DarkGray), ((104, 104, 100), 242, Color::DarkGray));
const FAINT: Shades = shades(((74, 82, 90), 239, Color::DarkGray), ((176, 172, 160), 249, Color::DarkGray));
const PANEL: Shades = shades(((36, 46, 56), 236, Color::Reset), ((222, 214, 198), 252, Color::Reset));
const OTHER: Shades = shades(((54, 62, 70), 238, Color::DarkGray), ((202, 196, 182), 250, Color::DarkGray));
const AMBER: Shades = shades(((232, 178, 84), 179, Color::Yellow), ((156, 96, 8), 130, Color::Yellow));
/// The ground of what will have arrived.
const AMBER_BLOCK: Shades = shades(((232, 178, 84), 179, Color::Yellow), ((230, 172, 72), 179, Color::Yellow));
const RED: Shades = shades(((226, 98, 84), 167, Color::LightRed), ((172, 40, 34), 124, Color::Red));
const GREEN: Shades = shades(((136, 178, 126), 108, Color::Green), ((58, 110, 54), 65, Color::Green));
const INK: Shades = shades(((16, 18, 22), 233, Color::Black), ((16, 18, 22), 233, Color::Black));
/// Muted colours of launchers, in the order in which launchers are found.
const CARGO: [Shades; 6] = [
    shades(((92, 138, 128), 66, Color::Cyan), ((132, 178, 166), 109, Color::Cyan)),
    shades(((96, 116, 168), 67, Color::Blue), ((144, 164, 210), 110, Color::LightBlue)),
    shades(((134, 112, 158), 97, Color::Magenta), ((182, 162, 202), 146, Color::LightMagenta)),
    shades(((148, 140, 92), 101, Color::Green), ((188, 180, 126), 144, Color::LightGreen)),
    shades(((166, 116, 128), 132, Color::LightMagenta), ((212, 166, 174), 181, Color::LightRed)),
    shades(((112, 134, 150), 103, Color::LightBlue), ((164, 182, 196), 152, Color::LightCyan)),
];

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
    pub fn cargo(self, launcher: usize) -> Style {
        if self.plain() {
            return Style::new().add_modifier(Modifier::REVERSED);
        }
        Style::new().fg(self.shade(&INK)).bg(self.shade(&CARGO[launcher % CARGO.len()]))
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
        let ink = if self.depth == Depth::Sixteen { Color::White } else { self.shade(&DIM) };
        Style::new().fg(ink).bg(self.shade(&OTHER))
    }

    /// Held originals: hatched, since they still take room.
    pub fn held(self) -> Style {
        if self.plain() { Style::new() } else { Style::new().fg(self.shade(&DIM)).bg(self.shade(&PANEL)) }
    }

    /// A changed piece of a record.
    pub fn changed(self) -> Style {
        self.fore(&AMBER).add_modifier(Modifier::UNDERLINED)
    }
}
