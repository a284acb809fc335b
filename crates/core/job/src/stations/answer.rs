//! A question answered yes or no.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A yes-or-no observation.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Answer {
    /// Not answered yet.
    #[default]
    Open,
    /// Yes.
    Yes,
    /// No.
    No,
}
