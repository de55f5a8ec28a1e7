//! One request at a time to one agent, as whoever asks is known to it.
//!
//! Without a user that is version 2c, with the password as its community. With one it is version 3: the agent is asked who it is and
//! what its clock shows (RFC 3414, section 4); how its messages are signed and encrypted is found out by trying, the usual ways first,
//! where it says that it was another one.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::snmp::{
    Authentication, Engine, Failed, Incoming, Keys, Kind, Message, Oid, Pdu, Privacy, Sealed, Signed, Value,
    objects,
};

use crate::census::Way;
use crate::conversation::{LinkEnd, LinkId, Outgoing};
use crate::secret::Login;

/// What whoever only reads is called everywhere.
const EVERYBODYS: &str = "public";
/// How often a request is sent that is not answered.
const TRIES: u32 = 3;
/// How often a request is sent with another proof of who asks.
const PROOFS: u32 = 10;

/// What came of a request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Reply {
    /// These.
    Values(Vec<(Oid, Value)>),
    /// It does not do it, and says why.
    Failed(Failed),
    /// It does not let in who asks.
    Refused,
    /// There is no answer.
    Gone,
}

/// What is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Request {
    /// Tell these.
    Get(Vec<Oid>),
    /// Tell so many that come behind this one.
    Behind(Oid, u32),
    /// Set these.
    Set(Vec<(Oid, Value)>),
}

/// Who asks.
#[derive(Debug)]
enum Asker {
    Community(Vec<u8>),
    User(Box<User>),
}

/// A user of version 3.
#[derive(Debug)]
struct User {
    login: Login,
    /// Whose clock and name count; without a name it is not known yet.
    engine: Engine,
    /// When its clock showed that.
    synchronised: Duration,
    authentication: Authentication,
    privacy: Option<Privacy>,
    keys: Option<Keys>,
    /// Whether it has answered anything that was signed.
    is_known: bool,
}

/// A request under way.
#[derive(Debug)]
struct Asked {
    request: Request,
    id: i32,
    until: Duration,
    tries: u32,
    proofs: u32,
}

/// Puts requests to one agent.
#[derive(Debug)]
pub(super) struct Caller {
    to: SocketAddrV4,
    link: LinkId,
    asker: Asker,
    seed: u32,
    /// How many requests there were.
    count: u32,
    /// How many messages: none is encrypted as another one.
    salt: u32,
    /// How long an answer may take.
    patience: Duration,
    asked: Option<Asked>,
}

impl Caller {
    /// Asks there, as whoever is kept for it. `seed` tells its requests from those to others.
    pub(super) fn new(to: SocketAddrV4, login: Option<Login>, seed: u32, patience: Duration) -> Self {
        let asker = match login {
            None => Asker::Community(EVERYBODYS.as_bytes().to_vec()),
            Some(login) if login.user.is_empty() => Asker::Community(login.password.expose().as_bytes().to_vec()),
            Some(login) => Asker::User(Box::new(User {
                privacy: login.privacy.is_some().then_some(Privacy::Aes),
                login,
                engine: Engine::default(),
                synchronised: Duration::ZERO,
                authentication: Authentication::Sha1,
                keys: None,
                is_known: false,
            })),
        };
        let link = LinkId::nth(Way::Snmp, seed, 0);
        Self { to, link, asker, seed, count: 0, salt: 0, patience, asked: None }
    }

    /// Whom it asks.
    pub(super) const fn address(&self) -> Ipv4Addr {
        *self.to.ip()
    }

    /// What its answers come on.
    pub(super) const fn link(&self) -> LinkId {
        self.link
    }

    /// Until when an answer is waited for; `None` when nothing is asked.
    pub(super) fn until(&self) -> Option<Duration> {
        self.asked.as_ref().map(|asked| asked.until)
    }

    /// Puts a request.
    pub(super) fn ask(&mut self, now: Duration, request: Request, out: &mut Vec<Outgoing>) {
        // All tries of one request bear one number: a late answer to the first is as good as one to the last.
        self.count += 1;
        let id = i32::try_from((self.seed ^ self.count.wrapping_mul(0x9e37_79b9)) >> 1).unwrap_or(0);
        self.asked = Some(Asked { request, id, until: now, tries: 0, proofs: 0 });
        self.send(now, out);
    }

    /// Nothing more is asked.
    pub(super) fn close(&mut self, out: &mut Vec<Outgoing>) {
        self.asked = None;
        if self.count > 0 {
            out.push(Outgoing::Close { link: self.link });
        }
    }

    fn send(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        self.salt += 1;
        let Some(asked) = &mut self.asked else { return };
        asked.tries += 1;
        asked.until = now + self.patience;
        let pdu = asked.request.pdu(asked.id);
        let message = match &mut self.asker {
            Asker::Community(community) => Message::Community { community: community.clone(), pdu },
            Asker::User(user) => {
                // Of DES only the second half counts (RFC 3414, section 8.1.1.1): it begins somewhere else for each agent, too.
                let salt = u64::from(self.seed) << 32 | u64::from(self.seed.wrapping_add(self.salt));
                Message::User(user.message(now, asked.id, salt, pdu))
            }
        };
        match message.to_bytes() {
            Some(bytes) => out.push(Outgoing::Ask { link: self.link, to: self.to, bytes }),
            // Only what cannot be sent at all has no bytes.
            None => asked.until = now,
        }
    }

    /// Takes in what came on its link. Gives which request it answers, and what came of it; `None` where it answers none, or the request
    /// had to be sent again.
    pub(super) fn hear(
        &mut self,
        now: Duration,
        bytes: &[u8],
        out: &mut Vec<Outgoing>,
    ) -> Option<(Request, Reply)> {
        let id = self.asked.as_ref()?.id;
        let pdu = match (Incoming::parse(bytes).ok()?, &mut self.asker) {
            (Incoming::Community(community, pdu), Asker::Community(own)) if community == *own => pdu,
            (Incoming::User(sealed), Asker::User(user)) if sealed.id == id => match user.open(now, &sealed) {
                Opened::Answer(pdu) => pdu,
                Opened::Again => return self.prove_again(now, out),
                Opened::Refused => return self.over(Reply::Refused),
                Opened::Nothing => return None,
            },
            _ => return None,
        };
        if pdu.kind != Kind::Response || pdu.id != id {
            return None;
        }
        let reply = pdu.failed.map_or(Reply::Values(pdu.values), Reply::Failed);
        self.over(reply)
    }

    fn over(&mut self, reply: Reply) -> Option<(Request, Reply)> {
        self.asked.take().map(|asked| (asked.request, reply))
    }

    /// It was answered that it was not proved who asks: once more, otherwise.
    fn prove_again(&mut self, now: Duration, out: &mut Vec<Outgoing>) -> Option<(Request, Reply)> {
        let asked = self.asked.as_mut()?;
        asked.proofs += 1;
        if asked.proofs > PROOFS {
            return self.over(Reply::Refused);
        }
        asked.tries = 0;
        self.send(now, out);
        None
    }

    /// Its link is over.
    pub(super) fn hear_end(&mut self, end: LinkEnd) -> Option<(Request, Reply)> {
        // A system that restarts refuses for a moment what it answers later; what never answered is not there.
        let waits = matches!(end, LinkEnd::Refused) && self.is_known();
        if waits { None } else { self.over(Reply::Gone) }
    }

    fn is_known(&self) -> bool {
        match &self.asker {
            Asker::Community(_) => false,
            Asker::User(user) => user.is_known,
        }
    }

    /// Repeats what is not answered; an answer is not waited for any longer, once all its time is over.
    pub(super) fn late(&mut self, now: Duration, out: &mut Vec<Outgoing>) -> Option<(Request, Reply)> {
        let asked = self.asked.as_ref().filter(|asked| asked.until <= now)?;
        if asked.tries >= TRIES {
            return self.over(Reply::Gone);
        }
        self.send(now, out);
        None
    }
}

impl Request {
    fn pdu(&self, id: i32) -> Pdu {
        match self {
            Self::Get(objects) => Pdu::question(Kind::Get, id, objects),
            Self::Behind(object, most) => {
                Pdu::question(Kind::GetBulk { once: 0, repeats: *most }, id, std::slice::from_ref(object))
            }
            Self::Set(values) => Pdu::order(id, values.clone()),
        }
    }
}

/// What a message of version 3 led to.
enum Opened {
    Answer(Pdu),
    /// It is asked once more, with what is known now.
    Again,
    Refused,
    Nothing,
}

impl User {
    fn message(&mut self, now: Duration, id: i32, salt: u64, pdu: Pdu) -> Signed {
        let is_reportable = true;
        if self.engine.id.is_empty() {
            // Whoever asks nobody in particular is told who is there (RFC 3414, section 4).
            let pdu = Pdu::question(Kind::Get, id, &[]);
            let (engine, user) = (Engine::default(), Vec::new());
            return Signed { id, engine, user, keys: None, salt, is_reportable, pdu };
        }
        if self.keys.is_none() {
            let password = |privacy| (privacy, self.login.privacy.as_ref().map_or("", |secret| secret.expose()));
            let privacy = self.privacy.map(password);
            self.keys = Keys::new(self.authentication, self.login.password.expose(), privacy, &self.engine.id);
        }
        let elapsed = u32::try_from(now.saturating_sub(self.synchronised).as_secs()).unwrap_or(u32::MAX);
        let engine = Engine { time: self.engine.time.saturating_add(elapsed), ..self.engine.clone() };
        let user = self.login.user.as_bytes().to_vec();
        Signed { id, engine, user, keys: self.keys.clone(), salt, is_reportable, pdu }
    }

    fn open(&mut self, now: Duration, sealed: &Sealed) -> Opened {
        let Ok(pdu) = sealed.open(self.keys.as_ref()) else { return Opened::Nothing };
        if pdu.kind == Kind::Report {
            return self.take_report(now, sealed, &pdu);
        }
        // What is not signed may be anybody's.
        let is_own =
            sealed.is_signed && sealed.engine.id == self.engine.id && sealed.user == self.login.user.as_bytes();
        if !is_own || (self.privacy.is_some() && !sealed.is_private) {
            return Opened::Nothing;
        }
        self.is_known = true;
        Opened::Answer(pdu)
    }

    fn take_report(&mut self, now: Duration, sealed: &Sealed, pdu: &Pdu) -> Opened {
        let told = pdu.values.first().map(|(object, _)| object.to_string()).unwrap_or_default();
        match told.as_str() {
            objects::WRONG_ENGINE if !sealed.engine.id.is_empty() && !self.is_known => {
                let is_new = self.engine.id != sealed.engine.id;
                (self.engine, self.synchronised, self.keys) = (sealed.engine.clone(), now, None);
                if is_new { Opened::Again } else { Opened::Refused }
            }
            // Only a signed one tells the time: else anybody could.
            objects::WRONG_TIME if sealed.is_signed => {
                (self.engine, self.synchronised) = (sealed.engine.clone(), now);
                Opened::Again
            }
            objects::WRONG_SIGNATURE if !self.is_known => {
                self.keys = None;
                self.authentication = match self.authentication {
                    Authentication::Sha1 => Authentication::Sha256,
                    Authentication::Sha256 => Authentication::Md5,
                    Authentication::Md5 => return Opened::Refused,
                };
                Opened::Again
            }
            objects::WRONG_ENCRYPTION if !self.is_known && self.privacy == Some(Privacy::Aes) => {
                (self.privacy, self.keys) = (Some(Privacy::Des), None);
                Opened::Again
            }
            // Whoever is known is not refused by what anybody can send.
            _ if self.is_known => Opened::Nothing,
            objects::WRONG_LEVEL | objects::WRONG_USER | objects::WRONG_ENCRYPTION => Opened::Refused,
            _ => Opened::Nothing,
        }
    }
}
