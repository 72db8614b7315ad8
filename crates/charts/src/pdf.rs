//! PDF from a drawing's SVG: one page of its size, text as text in an embedded font.

use std::sync::{Arc, LazyLock};

use krilla::geom::Size;
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::{Document, SerializeSettings};
use krilla_svg::{SurfaceExt, SvgSettings};
use thiserror::Error;
use usvg::{Options, Tree, fontdb};

use crate::Drawing;
use crate::page::{FONT, is_covered};

/// Why no PDF was made.
#[derive(Debug, Error)]
pub enum PdfError {
    /// The SVG cannot be read back.
    #[error("the drawing {title:?} isn't valid SVG")]
    Svg {
        /// Title of the drawing.
        title: String,
        /// What was found.
        source: usvg::Error,
    },
    /// The page has no size, or the PDF cannot be written.
    #[error("the drawing {title:?} makes no page: {what}")]
    Page {
        /// Title of the drawing.
        title: String,
        /// What was found.
        what: String,
    },
}

static FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = fontdb::Database::new();
    fonts.load_font_data(dejavu::sans::regular().to_vec());
    fonts.load_font_data(dejavu::sans::bold().to_vec());
    fonts.set_sans_serif_family(FONT);
    Arc::new(fonts)
});

impl Drawing {
    /// Makes a PDF of one page of the drawing's size. The same drawing gives the same bytes.
    ///
    /// Letters that the embedded font does not have become U+25A1; the SVG keeps them.
    ///
    /// # Errors
    /// [`PdfError`] if the SVG is not sound, or the page has no size.
    pub fn pdf(&self) -> Result<Vec<u8>, PdfError> {
        pages(std::slice::from_ref(self))
    }
}

/// Makes a PDF with a page for each drawing.
pub(crate) fn pages(drawings: &[Drawing]) -> Result<Vec<u8>, PdfError> {
    // A fixed setting and no date of its own: what the drawing says is all there is.
    let mut document = Document::new_with(SerializeSettings::default());
    let title = drawings.first().map_or("", |drawing| drawing.title.as_str()).to_string();
    for drawing in drawings {
        let page_error = |what: &str| PdfError::Page { title: drawing.title.clone(), what: what.into() };
        let svg: String = drawing.svg.chars().map(|c| if is_covered(c) { c } else { '\u{25a1}' }).collect();
        let options = Options { fontdb: Arc::clone(&FONTS), font_family: FONT.into(), ..Options::default() };
        let tree =
            Tree::from_str(&svg, &options).map_err(|source| PdfError::Svg { title: drawing.title.clone(), source })?;
        // A unit of the drawing is a 96th of an inch, one of the PDF a 72nd.
        let (width, height) = (drawing.width as f32 * 0.75, drawing.height as f32 * 0.75);
        let settings = PageSettings::from_wh(width, height).ok_or_else(|| page_error("it has no size"))?;
        let size = Size::from_wh(width, height).ok_or_else(|| page_error("it has no size"))?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        surface.draw_svg(&tree, size, SvgSettings::default()).ok_or_else(|| page_error("it cannot be drawn"))?;
        surface.finish();
        page.finish();
    }
    document.set_metadata(Metadata::new().title(title.clone()).creator("Deft Barge".into()));
    document.finish().map_err(|error| PdfError::Page { title, what: format!("{error:?}") })
}
