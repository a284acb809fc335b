//! Tool paths: what a file of a print says, how long it takes and what binds it, layer by layer; changes by
//! height; what another bore would do.
//!
//! Reads from whatever is handed to it and knows no files; no clock, no async. Sources: NIST IR 6556 and
//! ISO 6983-1 for the language; each method names its own.
#![deny(missing_docs)]

mod bands;
mod bores;
mod chunks;
mod clearance;
mod corner;
mod drawn;
mod dynamics;
mod factor;
mod layers;
mod limits;
mod pieces;
mod plan;
mod planning;
mod read;
mod retractions;
mod survey;
mod walls;

pub use bands::{
    Band, BandKind, BandTable, BandsError, Changed, Edit, Wanted, WantedError, apply_edits,
    band_values, change_by_height, check_change, read_wanted,
};
pub use bores::{
    Bead, BoreEstimate, BoreFile, Bores, NewBore, bead_area_mm2, bead_width_mm, compare_bores,
    estimate_bore,
};
pub use chunks::{ReadError, each_chunk};
pub use clearance::{Clearance, Gone, Nozzles, clear_path};
pub use corner::corner_speed2;
pub use drawn::{Bound, DrawnLayer, draw_layer};
pub use factor::{Factor, factor_of};
pub use layers::Layer;
pub use limits::{AxisLimits, Corner, DEFAULT_JUNCTION_MM, Limits, LimitsError};
pub use pieces::{
    COMB_PITCH_MM, COMB_TEETH, LINES_PITCH_MM, PIECES, Part, Piece, PieceChoice, PieceError,
    PieceFor, PieceKind, PieceSetting, Prism, Triangle, make_piece, piece_named, shuffled,
    write_stl,
};
pub use plan::{Binds, Nominal, Planner, Profile, Segment};
pub use read::{
    Diagnostic, Follow, Item, LineRef, Move, MoveKind, Reading, Setting, Wait, read_path,
};
pub use retractions::{Retraction, RetractionKind};
pub use survey::{Bounds, Heating, Survey, SurveyOptions, survey};
