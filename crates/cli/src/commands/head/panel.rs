//! `tinkite head` alone: the panel.

use crate::args::HeadPanel;
use crate::commands::run::{RawKeys, forget_typed};
use crate::console::Console;
use crate::defaults;
use crate::neutral;
use ratatui_core::style::{Color, Modifier, Style};
use ratatui_core::terminal::Terminal;
use ratatui_core::text::{Line, Span};
use ratatui_crossterm::CrosstermBackend;
use ratatui_crossterm::crossterm::cursor::{Hide, Show};
use ratatui_crossterm::crossterm::event::{
    self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers,
};
use ratatui_crossterm::crossterm::execute;
use ratatui_crossterm::crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen};
use ratatui_widgets::paragraph::{Paragraph, Wrap};
use std::io::{self, IsTerminal, stderr};
use std::mem::ManuallyDrop;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{SyncSender, TrySendError, sync_channel};
use std::sync::{Arc, PoisonError};
use std::time::Duration;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::plan::{EdgeShape, edge};
use tinkite_core::quantity::plain;
use tinkite_files::call::JobCall;
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_operate::beam;
use tinkite_operate::head::by_hand::ByHand;
use tinkite_operate::head::drive::{Aim, Corners, Driving, HeadOrder, Seen, Shared};
use tinkite_operate::head::marks::Marks;
use tinkite_operate::stopping::Stopping;
use tinkite_wire::Dark;

/// Steps, mm.
const STEPS: [f64; 3] = [0.1, 1.0, 10.0];
/// How often the panel is drawn.
const DRAWN: Duration = Duration::from_millis(80);

/// What the keys do, for the panel.
const KEYS: [(&str, &str); 11] = [
    ("arrows", "a step left, right, away, towards you"),
    ("page", "a step up, down: the focus"),
    ("1 2 3", "steps of 0.1, 1, 10 mm"),
    ("space", "stop: the head stands where it is"),
    ("z", "here is the zero on the stock"),
    ("c", "to the next corner of the job"),
    ("p", "light the pointer for a while"),
    ("d", "dark: halt everything, put the beam out, leave"),
    ("o", "look for home"),
    ("u", "unlock"),
    ("q", "leave, with the beam off (Ctrl-C, too)"),
];
/// What else they do while marks are looked for.
const MARK_KEYS: [(&str, &str); 3] = [
    ("enter", "the head stands on the mark: write it into the job"),
    ("n b", "the next mark, the one before"),
    ("c", "to where the mark lies, as far as is known"),
];

pub(super) fn run(args: &HeadPanel, console: &Console) -> Result<(), Refusal> {
    if console.json || !io::stdin().is_terminal() || !io::stderr().is_terminal() {
        return Err(Refusal::Usage(
            "the panel wants a terminal; head where, go, move, home, zero, unlock and dark do without"
                .into(),
        ));
    }
    let (hand, aim) = open(args, console)?;
    driven(hand, aim, console).map(|_| ())
}

/// The panel with the marks of a job.
pub(super) fn marks(hand: ByHand, marks: Marks, console: &Console) -> Result<(), Refusal> {
    if console.json || !io::stdin().is_terminal() || !io::stderr().is_terminal() {
        return Err(Refusal::Usage(
            "without a terminal one mark is written at a time: drive there with head go, then say head mark JOB 1"
                .into(),
        ));
    }
    let all = marks.marks.len();
    let found = driven(hand, Aim::Marks(marks), console)?;
    console.result(&format!("{found} of {all} marks were written into the job"))
}

/// Drives the head until the panel is left. How many marks were written into the job.
fn driven(mut hand: ByHand, aim: Aim, console: &Console) -> Result<usize, Refusal> {
    if hand.is_printer() {
        return Err(Refusal::Usage(
            "a board of this dialect does not tell where its head is while it is spoken to: use head go and head move".into(),
        ));
    }
    let (machine, stopping) = (hand.machine.clone(), hand.stopping().clone());
    let keyboard = RawKeys::begin()
        .and_then(|keys| forget_typed().map(|()| keys))
        .map_err(|source| Refusal::System { what: "this terminal gives no keys", source })?;
    let (shared, step) = (Shared::default(), Arc::new(AtomicUsize::new(1)));
    let (sender, orders) = sync_channel(MOST_ORDERS);
    let typing = Typing { sender, step: Arc::clone(&step), stopping: stopping.clone() };
    // Nobody waits for this thread: a terminal that has gone never lets a reader go.
    std::thread::spawn(move || typing.listen());
    let names = if let Aim::Marks(marks) = &aim {
        marks.marks.iter().map(|mark| mark.drawn.clone()).collect()
    } else {
        Vec::new()
    };
    let panel = Panel {
        title: format!("{} on {}", machine.name, hand.name),
        step,
        lifts: machine.z.is_some(),
        points: machine.beam.pointer.is_some(),
        marks: names,
    };
    let ended = std::thread::scope(|scope| {
        let driving = scope.spawn(|| {
            let mut host = Driving::new(&machine, &stopping, orders, &shared, aim);
            let ended = hand.converse(&mut host);
            shared.lock().unwrap_or_else(PoisonError::into_inner).over = true;
            ended
        });
        panel.show(&shared, console);
        driving.join()
    });
    drop(keyboard);
    let seen = shared.into_inner().unwrap_or_else(PoisonError::into_inner);
    for text in &seen.told {
        console.say(text);
    }
    let broke = || Err(Refusal::Link("the link's thread broke down: LOOK AT THE MACHINE".into()));
    let dark = ended.unwrap_or_else(|_| broke())?;
    console.result(&format!("left{}", beam::words(dark)))?;
    let unseen = matches!(dark, Dark::Asked | Dark::Unknown);
    if unseen {
        return Err(Refusal::Link("the beam was not seen to be off".into()));
    }
    Ok(seen.found.len())
}

/// The machine, and the corners of the job where one is named.
fn open(args: &HeadPanel, console: &Console) -> Result<(ByHand, Aim), Refusal> {
    let Some(path) = &args.job else {
        let Some(machine) = defaults::machine(args.machine.as_ref())? else {
            return Err(Refusal::Usage(
                "which machine? tinkite head --machine NAME, or tinkite head JOB".into(),
            ));
        };
        return Ok((ByHand::open(&machine, args.to.as_deref())?, Aim::Nothing));
    };
    let made = load::make(&JobCall::whole(path.clone(), args.machine.clone()))?;
    let job = &made.job;
    let mut corners =
        edge(made.compiled.within.planned(), EdgeShape::Box).pop().unwrap_or_default();
    // The last is the first again.
    corners.pop();
    if job.round.is_some() {
        return Ok((ByHand::of(job.machine.clone(), args.to.as_deref())?, Aim::Nothing));
    }
    let counts = (job.placement.zero, &corners[..]);
    let (hand, told) = ByHand::for_job(job.machine.clone(), args.to.as_deref(), counts)?;
    told.iter().for_each(|told| console.say(told));
    Ok((hand, Aim::Corners(Corners { corners, zero: job.placement.zero })))
}

/// The most orders that wait: a key that is held down repeats itself.
const MOST_ORDERS: usize = 4;

/// Somebody who types.
struct Typing {
    sender: SyncSender<HeadOrder>,
    step: Arc<AtomicUsize>,
    stopping: Stopping,
}

impl Typing {
    fn listen(&self) {
        while let Ok(event) = event::read() {
            if let Event::Key(key) = event
                && key.kind != KeyEventKind::Release
                && let Some(order) = self.order(key)
                && let Err(TrySendError::Disconnected(_)) = self.sender.try_send(order)
            {
                return;
            }
        }
    }

    fn order(&self, key: KeyEvent) -> Option<HeadOrder> {
        if key.modifiers.contains(KeyModifiers::CONTROL) {
            if matches!(key.code, KeyCode::Char('c' | 'z' | '\\' | '4')) {
                self.stopping.flag().store(true, Ordering::Relaxed);
            }
            return None;
        }
        let by = STEPS[self.step.load(Ordering::Relaxed).min(STEPS.len() - 1)];
        Some(match key.code {
            KeyCode::Left => HeadOrder::Step(Vec2::new(-by, 0.0)),
            KeyCode::Right => HeadOrder::Step(Vec2::new(by, 0.0)),
            KeyCode::Up => HeadOrder::Step(Vec2::new(0.0, by)),
            KeyCode::Down => HeadOrder::Step(Vec2::new(0.0, -by)),
            KeyCode::PageUp => HeadOrder::Lift(by),
            KeyCode::PageDown => HeadOrder::Lift(-by),
            KeyCode::Enter => HeadOrder::Found,
            KeyCode::Char('n' | 'N') => HeadOrder::Mark { next: true },
            KeyCode::Char('b' | 'B') => HeadOrder::Mark { next: false },
            KeyCode::Char(' ') => HeadOrder::Stop,
            KeyCode::Char('z' | 'Z') => HeadOrder::Zero,
            KeyCode::Char('c' | 'C') => HeadOrder::Corner,
            KeyCode::Char('p' | 'P') => HeadOrder::Pointer,
            KeyCode::Char('d' | 'D') => HeadOrder::Dark,
            KeyCode::Char('o' | 'O') => HeadOrder::Home,
            KeyCode::Char('u' | 'U') => HeadOrder::Unlock,
            KeyCode::Char('q' | 'Q') | KeyCode::Esc => HeadOrder::Leave,
            KeyCode::Char(n @ '1'..='3') => {
                self.step.store(n as usize - '1' as usize, Ordering::Relaxed);
                return None;
            }
            _ => return None,
        })
    }
}

/// What is shown.
struct Panel {
    title: String,
    step: Arc<AtomicUsize>,
    /// Whether the machine moves its focus.
    lifts: bool,
    /// Whether it has a pointer.
    points: bool,
    /// The marks that are looked for, in words.
    marks: Vec<String>,
}

impl Panel {
    /// Shows how it stands until it is over. A terminal that is gone ends nothing.
    fn show(&self, shared: &Shared, console: &Console) {
        console.decides_colours();
        let opened = execute!(stderr(), EnterAlternateScreen, Hide)
            .and_then(|()| Terminal::new(CrosstermBackend::new(stderr())));
        // Never dropped: its own end complains on standard error, and panics where that is gone.
        let mut terminal = opened.ok().map(ManuallyDrop::new);
        loop {
            let seen = shared.lock().unwrap_or_else(PoisonError::into_inner).clone();
            if seen.over {
                break;
            }
            if let Some(open) = &mut terminal {
                let lines = self.lines(&seen, console.colours_err());
                let drawn = open.draw(|frame| {
                    let text = Paragraph::new(lines).wrap(Wrap { trim: false });
                    frame.render_widget(text, frame.area());
                });
                if drawn.is_err() {
                    terminal = None;
                }
            }
            std::thread::sleep(DRAWN);
        }
        let _ = execute!(stderr(), LeaveAlternateScreen, Show);
    }

    fn lines(&self, seen: &Seen, colours: bool) -> Vec<Line<'static>> {
        let bold = Style::new().add_modifier(Modifier::BOLD);
        let dim = Style::new().add_modifier(Modifier::DIM);
        let alarm = if colours { bold.fg(Color::LightRed) } else { bold };
        let fact = |what: &str, text: String| {
            Line::from(vec![Span::styled(format!("{what:>8}  "), dim), Span::styled(text, bold)])
        };
        let place = |at: Point| {
            format!("{} mm from the left, {} mm from the front", number(at.x), number(at.y))
        };
        let mut lines = vec![
            Line::styled(neutral::text(&self.title, false).into_owned(), bold),
            Line::default(),
        ];
        let state = seen.state.map_or("asking how it stands", tinkite_wire::State::words);
        lines.push(match (seen.locked, seen.state) {
            (true, _) => Line::styled("   LOCKED by an alarm: o looks for home, u unlocks", alarm),
            (false, _) => fact("state", state.to_string()),
        });
        if let Some([x, y, z]) = seen.axes {
            lines.push(fact("axes", format!("X {}  Y {}  Z {}", number(x), number(y), number(z))));
        }
        lines.extend(seen.head.map(|at| fact("head", place(at))));
        lines.extend(seen.zero.map(|at| fact("zero", place(at))));
        if let (Some(head), Some(zero)) = (seen.head, seen.zero) {
            lines.push(fact("", format!("the head is {} it", super::calls::aside(head - zero))));
        }
        let step = STEPS[self.step.load(Ordering::Relaxed).min(STEPS.len() - 1)];
        lines.push(fact("step", format!("{} mm", plain(step, 1))));
        let pressed: Vec<String> = seen.switches.words().collect();
        if !pressed.is_empty() {
            lines.push(fact("pressed", pressed.join(", ")));
        }
        if let Some([feed, rapid, power]) = seen.overrides
            && [feed, rapid, power] != [100.0; 3]
        {
            let told = format!("speed {feed:.0} %, rapids {rapid:.0} %, power {power:.0} %");
            lines.push(fact("changed", told));
        }
        if let Some(mark) = self.marks.get(seen.mark) {
            let told = format!("{} of {}: {mark}", seen.mark + 1, self.marks.len());
            lines.push(fact("mark", told));
        }
        lines.push(Line::default());
        let marks: &[_] = if self.marks.is_empty() { &[] } else { &MARK_KEYS };
        let keys = KEYS.iter().filter(|(key, _)| {
            (self.lifts || *key != "page")
                && (self.points || *key != "p")
                && !marks.iter().any(|(other, _)| other == key)
        });
        lines.extend(marks.iter().chain(keys).map(|(key, what)| {
            Line::from(vec![Span::styled(format!("{key:>8}  "), bold), Span::raw(*what)])
        }));
        lines.push(Line::default());
        let latest = &seen.told[seen.told.len().saturating_sub(4)..];
        let told = if colours { Style::new().fg(Color::LightCyan) } else { Style::new() };
        lines.extend(
            latest.iter().map(|text| Line::styled(neutral::text(text, false).into_owned(), told)),
        );
        lines
    }
}

/// With two decimals, so that nothing jumps.
fn number(value: f64) -> String {
    format!("{:.2}", value + 0.0)
}
