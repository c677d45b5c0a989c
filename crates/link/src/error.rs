//! Why there is no talking to a controller.

use std::io;
use thiserror::Error;
use tinkite_wire::Failure;

/// Why there is no talking to a controller.
#[derive(Debug, Error)]
pub enum LinkError {
    /// Nobody says over what.
    #[error("the machine's profile has no [link]")]
    NoLink,
    /// This is no link.
    #[error("\"{0}\" is not a link: write rig:, tcp:HOST:PORT or serial:PORT@BAUD")]
    NotALink(String),
    /// This is no baud rate.
    #[error("\"{0}\" is not a baud rate")]
    Baud(String),
    /// This is no pace of the rig.
    #[error("\"{0}\" is not a pace: write real, max or a number of times as fast, such as 20")]
    Pace(String),
    /// The controller on the network cannot be reached.
    #[error(
        "tcp:{address} does not open: {source}; check that the controller is on and the address is right"
    )]
    Tcp {
        /// As it was said.
        address: String,
        /// What the system said.
        source: io::Error,
    },
    /// The name leads to no address.
    #[error("tcp:{0} has no address")]
    NoAddress(String),
    /// The port does not open: why, and what to do.
    #[error("{0}")]
    Serial(String),
    /// The session failed.
    #[error(transparent)]
    Failed(#[from] Failure),
    /// The controller is gone.
    #[error("the controller went away")]
    WentAway,
}

impl LinkError {
    /// Whether what was said is wrong, and not the link.
    #[must_use]
    pub fn is_of_the_call(&self) -> bool {
        matches!(self, Self::NoLink | Self::NotALink(_) | Self::Baud(_) | Self::Pace(_))
    }
}
