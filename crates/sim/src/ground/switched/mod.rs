//! Nodes with a stack of their own, each on a port of a switch, in a thread of its own. What hangs on the switch's uplink is the
//! ground's affair.

mod host;
mod switch;

use std::io;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use crate::{FixtureTruth, Truth};

use host::Host;
pub(super) use switch::Switch;

/// How long the switch sleeps at most: an order has to wait no longer.
const NAP: Duration = Duration::from_millis(10);

/// What leads from the switch to whoever is no simulated node.
pub(super) trait Uplink {
    /// The next frame that came over it, if one waits.
    fn hear(&mut self) -> Option<Vec<u8>>;

    /// Carries a frame away. What a full one refuses is lost, as on the wire.
    fn send(&mut self, frame: &[u8]);

    /// Sleeps until something comes, at most so long.
    fn wait(&mut self, longest: Duration);
}

/// Something done with the hosts, or asked of them, at a moment.
type Tell = Box<dyn FnOnce(&mut [Host], Duration) + Send>;

enum Order {
    Tell(Tell),
    Stop,
}

/// A switch at work in its thread, until dropped.
#[derive(Debug)]
pub(super) struct Running {
    orders: Sender<Order>,
    thread: Option<JoinHandle<()>>,
}

/// What comes to a switch from whoever started it.
pub(super) struct Orders(Receiver<Order>);

impl Running {
    /// Starts the thread; `work` is to end in [`run`].
    pub(super) fn start(name: &str, work: impl FnOnce(&Orders) + Send + 'static) -> io::Result<Self> {
        let (orders, inbox) = channel();
        let thread = std::thread::Builder::new().name(name.to_owned()).spawn(move || work(&Orders(inbox)))?;
        Ok(Self { orders, thread: Some(thread) })
    }

    /// Switches the power of the node that started with this name.
    pub(super) fn switch(&self, name: &str, on: bool) {
        let name = name.to_owned();
        self.told(move |hosts, now| {
            let meant = hosts.iter_mut().filter(|host| host.party.name() == name);
            meant.for_each(|host| host.party.switch(now, on));
        });
    }

    /// What every Art-Net node really is at this moment, in the order of the scene.
    pub(super) fn truth(&self) -> Vec<Truth> {
        self.told(|hosts, _| hosts.iter().filter_map(|host| host.party.truth()).collect())
    }

    /// What every unit on the cables of nodes really is at this moment.
    pub(super) fn fixtures(&self) -> Vec<FixtureTruth> {
        self.told(|hosts, _| hosts.iter().flat_map(|host| host.party.fixtures()).collect())
    }

    /// What the hosts tell; nothing once the switch has stopped.
    fn told<T: Default + Send + 'static>(
        &self,
        tell: impl FnOnce(&mut [Host], Duration) -> T + Send + 'static,
    ) -> T {
        let (to, from) = channel();
        let tell = move |hosts: &mut [Host], now| to.send(tell(hosts, now)).unwrap_or(());
        self.orders.send(Order::Tell(Box::new(tell))).unwrap_or(());
        from.recv().unwrap_or_default()
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.orders.send(Order::Stop).unwrap_or(());
        if let Some(thread) = self.thread.take() {
            thread.join().unwrap_or(());
        }
    }
}

/// Lets a switch work until it is told to stop.
pub(super) fn run<U: Uplink>(mut switch: Switch<U>, orders: &Orders) {
    let began = Instant::now();
    loop {
        while let Ok(order) = orders.0.try_recv() {
            match order {
                Order::Tell(tell) => tell(switch.hosts(), began.elapsed()),
                Order::Stop => return,
            }
        }
        switch.run(began.elapsed());
        switch.wait(began.elapsed(), NAP);
    }
}
