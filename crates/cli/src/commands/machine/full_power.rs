//! Another S at full power in a profile that is started from.

use tinkite_core::machine::Machine;
use tinkite_core::machine::edit::Change;
use tinkite_core::quantity::plain;

/// Another S at full power; what the template says in S stays the same share of it.
pub(super) fn full_power(full: f64, template: &Machine) -> Vec<Change> {
    let beam = &template.beam;
    let floor = beam.floor * full / beam.full;
    let floor = (beam.floor > 0.0).then(|| Change::plain("beam", "floor", plain(floor, 3)));
    [Some(Change::plain("beam", "full", plain(full, 3))), floor].into_iter().flatten().collect()
}
