//! A few lines for the controller, one talk: it is asked how it stands, told what to do, and waited for
//! until it stands again, with the beam seen to be off.

use crate::beam;
use crate::rehearsal;
use crate::stopping::Stopping;
use std::path::Path;
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::job::Zero;
use tinkite_core::machine::Dialect;
use tinkite_core::machine::Machine;
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link as link;
use tinkite_link::Stand;
use tinkite_link::talk::{Host, talk};
use tinkite_link::{self, Link};
use tinkite_run::{Position, Reports};
use tinkite_wire::{
    Connected, Dark, Event, Failure, Outcome, Session, Settings, Span, State, Status, Switches,
    alarm_meaning, error_meaning,
};

/// The machine at the other end of a link.
pub struct ByHand {
    /// The machine, as its profile says.
    pub machine: Machine,
    /// The link's.
    pub name: String,
    link: Box<dyn Link>,
    stopping: Stopping,
}

/// How it stands behind a call.
#[derive(Debug)]
pub struct Stands {
    /// What it said when it was asked, before anything was sent.
    pub connected: Connected,
    /// Where the head is on the machine's axes.
    pub position: Option<Position>,
    /// Switches that are pressed.
    pub switches: Switches,
    /// Where its probe touched something, on the machine's axes, mm.
    pub touched: Option<[f64; 3]>,
    /// What was seen of the beam.
    pub dark: Dark,
}

/// What puts an end to a call before it is done.
pub struct Until<'u> {
    /// Whether somebody has seen enough.
    pub wanted: &'u dyn Fn() -> bool,
    /// Something is lit meanwhile.
    pub lit: bool,
}

/// No machine looks for its zero longer than this; many say nothing while they do.
const HOMING: Span = Span::millis(180_000);

impl ByHand {
    /// A machine that is called by its name or the path of its profile.
    ///
    /// # Errors
    /// No such machine, no link.
    pub fn open(machine: &str, to: Option<&str>) -> Result<Self, Refusal> {
        let machine = find(machine, Path::new(""))?.read(&mut Sources::new())?;
        Self::of(machine, to)
    }

    /// The machine of a job.
    pub fn of(machine: Machine, to: Option<&str>) -> Result<Self, Refusal> {
        Self::standing(machine, to, |_| Stand::default())
    }

    /// The same for a job that counts from `zero`, whose edge has these corners (mm from there, as the bed is seen). A
    /// simulated machine stands so that it lies on the bed; what is said of that.
    pub fn for_job(
        machine: Machine,
        to: Option<&str>,
        (zero, corners): (Zero, &[Point]),
    ) -> Result<(Self, Option<String>), Refusal> {
        let mut told = None;
        let on_axes = |p: &Point| machine.pointing.to_machine(p.to_vec2()).to_point();
        let one = |p: Point| Rect::from_points(p, p);
        let extents = corners.iter().map(on_axes).map(one).reduce(|a, b| a.union(b));
        let hand = Self::standing(machine.clone(), to, |machine| {
            let (stand, words) = rehearsal::stand(machine, (Some(zero), extents), (None, None));
            told = words;
            stand
        })?;
        Ok((hand, told))
    }

    /// Opens the link; `stand` says how a simulated machine stands.
    fn standing(
        machine: Machine,
        to: Option<&str>,
        stand: impl FnOnce(&Machine) -> Stand,
    ) -> Result<Self, Refusal> {
        let name = link::name(to, &machine)?;
        let stopping = Stopping::watch()?;
        let stand = if link::is_simulated(&name) { stand(&machine) } else { Stand::default() };
        let link = link::open_standing(&name, &machine, None, stand)?;
        Ok(Self { machine, name, link, stopping })
    }

    /// Whether the controller is a board that tells no more than its position.
    pub fn is_printer(&self) -> bool {
        self.machine.dialect == Dialect::Reprap
    }

    /// Asks how it stands, sends what `decide` makes of that, and waits until the head stands again.
    /// Nothing is sent when it decides on nothing, or refuses.
    pub fn carry_out(
        &mut self,
        decide: impl FnMut(&Machine, &Connected) -> Result<Vec<String>, Refusal>,
    ) -> Result<Stands, Refusal> {
        self.carry_out_until(&Until { wanted: &|| false, lit: false }, decide)
    }

    /// The same, until somebody has seen enough of it: what is left is not carried out then.
    pub fn carry_out_until(
        &mut self,
        until: &Until<'_>,
        decide: impl FnMut(&Machine, &Connected) -> Result<Vec<String>, Refusal>,
    ) -> Result<Stands, Refusal> {
        let defaults = Settings::default();
        let settings = Settings { by_hand: true, silence: HOMING, ..defaults };
        let mut host = Call {
            machine: &self.machine,
            stopping: &self.stopping,
            until,
            enough: false,
            // A printer board tells the place in coordinates that are the only ones it has.
            reports: Reports::new(&self.machine, self.is_printer().then_some([0.0; 3])),
            decide,
            connected: None,
            position: None,
            switches: Switches::default(),
            touched: None,
        };
        talk(self.link.as_mut(), self.machine.dialect, settings, &mut host)
    }
}

impl ByHand {
    /// One talk that goes on until its host has had enough; the status comes often.
    pub fn converse<H: Host<Error = Refusal>>(
        &mut self,
        host: &mut H,
    ) -> Result<H::Outcome, Refusal> {
        let defaults = Settings::default();
        let settings = Settings { by_hand: true, silence: HOMING, status_every: OFTEN, ..defaults };
        talk(self.link.as_mut(), self.machine.dialect, settings, host)
    }

    /// Whether somebody wants this program to stop.
    pub fn stopping(&self) -> &Stopping {
        &self.stopping
    }
}

/// How often a head that is driven by keys is asked where it is.
const OFTEN: Span = Span::millis(50);

/// One talk.
struct Call<'c, D> {
    machine: &'c Machine,
    stopping: &'c Stopping,
    until: &'c Until<'c>,
    /// Somebody has seen enough.
    enough: bool,
    reports: Reports,
    decide: D,
    connected: Option<Connected>,
    position: Option<Position>,
    switches: Switches,
    touched: Option<[f64; 3]>,
}

impl<D> Call<'_, D> {
    fn stands(&mut self, dark: Dark) -> Stands {
        let connected = self.connected.take().unwrap_or_default();
        let told = connected.position.map(|[x, y, z]| {
            let mut position: Position = [None; 6];
            (position[0], position[1], position[2]) = (Some(x), Some(y), Some(z));
            position
        });
        Stands {
            position: self.position.or(told),
            switches: self.switches,
            touched: self.touched,
            connected,
            dark,
        }
    }

    fn status(&mut self, status: &Status) {
        self.position = self.reports.position(status).or(self.position);
        self.switches = status.switches;
    }
}

impl<D> Host for Call<'_, D>
where
    D: FnMut(&Machine, &Connected) -> Result<Vec<String>, Refusal>,
{
    type Outcome = Stands;
    type Error = Refusal;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if self.stopping.is_wanted() {
            session.stop(link.now());
        }
        if self.connected.is_some() && !self.enough && (self.until.wanted)() {
            self.enough = true;
            // Jogs are cancelled; a board that has none, and what is lit, is stopped.
            if self.until.lit || !session.cancel_jog() {
                session.stop(link.now());
            }
        }
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        session: &mut Session,
        link: &dyn Link,
    ) -> Result<Option<Stands>, Refusal> {
        match event {
            Event::Connected(connected) => {
                let lines = (self.decide)(self.machine, &connected);
                self.connected = Some(connected);
                let lines = lines?;
                if lines.is_empty() {
                    return Ok(Some(self.stands(Dark::Untouched)));
                }
                session.start();
                for (number, line) in (1..).zip(lines) {
                    session
                        .enqueue(number, line.into_bytes())
                        .map_err(|error| Refusal::Link(error.to_string()))?;
                }
                session.end_of_program(link.now());
            }
            Event::Status(status) => self.status(&status),
            Event::Touched(at) => self.touched = Some(at),
            Event::Said(_) | Event::RunsOn(_) => {}
            Event::Ended { outcome: Outcome::Done, dark } => return Ok(Some(self.stands(dark))),
            Event::Ended { outcome: Outcome::Stopped, dark }
                if self.enough && !self.stopping.is_wanted() =>
            {
                return Ok(Some(self.stands(dark)));
            }
            Event::Ended { outcome: Outcome::Stopped, dark } => {
                return Err(Refusal::Stopped(format!("stopped{}", beam::words(dark))));
            }
            Event::Ended { outcome: Outcome::Failed(failure), dark } => {
                let advice = advice(&failure);
                let dark = beam::words(dark);
                return Err(Refusal::Link(format!("{failure}{advice}{dark}")));
            }
        }
        Ok(None)
    }
}

/// What a failure means, and what to do.
pub fn advice(failure: &Failure) -> String {
    match failure {
        Failure::Refused { complaint, .. } => {
            complaint.code.map_or(String::new(), |code| format!(" ({})", error_meaning(code)))
        }
        Failure::Alarm(complaint) => {
            let code = complaint.code;
            let meaning = code.map_or(String::new(), |code| format!(" ({})", alarm_meaning(code)));
            format!("{meaning}; home it, or unlock it when its position is known")
        }
        Failure::NotReady(State::Alarm) => {
            "; home it, or unlock it when its position is known".into()
        }
        Failure::NotReady(State::Run | State::Jog | State::Home) => {
            "; it moves: wait until it stands, or put an end to it with head dark".into()
        }
        Failure::NotReady(State::Door) => "; close its door and let it go on".into(),
        Failure::NotReady(State::Hold { .. }) => {
            "; something holds it: let it go on, or put an end to it with head dark".into()
        }
        Failure::NotReady(State::Check) => {
            "; it only checks lines: leave the check mode ($C)".into()
        }
        Failure::NotReady(State::Sleep) => "; wake it: reset it at the machine".into(),
        Failure::NoAnswer => "; check that it is on, and speaks the machine's dialect".into(),
        _ => String::new(),
    }
}
