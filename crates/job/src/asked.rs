//! What a job asks for, wherever it does.

use crate::Job;
use crate::drawn::Outline;
use crate::select::ArtworkKind;
use crate::stock::StockSize;

impl Job {
    /// Whether anything in the job asks for a kind of artwork.
    #[must_use]
    pub fn asks_for(&self, kind: ArtworkKind) -> bool {
        let engraves = self.steps.iter().filter_map(|step| step.operation.engrave());
        let steps = self.steps.iter().map(|step| &step.take);
        let areas = self.shapes.iter().filter_map(|shape| match &shape.outline {
            Outline::Area(area) => Some(area),
            _ => None,
        });
        let combined = areas.clone().filter_map(|area| Some(&area.combine.as_ref()?.1));
        let stock = self.stock.as_ref().and_then(|stock| match &stock.size {
            Some(StockSize::Drawn(takes)) => Some(takes),
            _ => None,
        });
        let paints = self.artworks.iter().flat_map(|one| &one.paint).map(|paint| &paint.take);
        steps
            .chain(engraves.map(|engrave| &engrave.boundary))
            .chain(self.artworks.iter().map(|one| &one.leave_out))
            .chain(paints)
            .chain(areas.map(|area| &area.of))
            .chain(combined)
            .chain(stock)
            .flatten()
            .any(|take| take.asks_for(kind))
    }
}
