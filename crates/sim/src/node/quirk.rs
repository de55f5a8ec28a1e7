//! Habits of real nodes that the standard leaves open, or forbids, and that are met all the same.

use serde::Deserialize;

/// One habit. A node may have several.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Quirk {
    // What it does with IP programming.
    /// Takes address, mask and gateway of the message, whatever its single bits say.
    TakesAllFields,
    /// Says that it takes the settings, and has them at its next start.
    TakesAtNextStart,
    /// Answers with what it had, and takes the settings three seconds later.
    TakesLate,
    /// Takes the settings and answers with what it had.
    AcknowledgesOld,
    /// Takes the settings without a word.
    NoAcknowledgement,
    /// Answers neither questions about its IP settings nor orders; obeys them.
    NeverTellsSettings,
    /// Once moved, answers polls and no questions about its IP settings.
    SilentAfterMove,
    /// Comes up one address further than told.
    ComesUpElsewhere,
    /// Sets its mask to 255.0.0.0 whenever it gets an address.
    ResetsMask,
    /// Loses its gateway whenever it gets an address.
    LosesGateway,
    /// Takes an address, and stays on DHCP.
    StaysOnDhcp,
    /// Goes off when it is told an address, for good.
    DiesOfMoving,
    /// Goes off the first time it is told an address, before it has taken it.
    DiesOfItsFirstMove,

    // What it does with ArtAddress.
    /// Restarts whenever it is told anything.
    RestartsAtEveryWrite,
    /// Loses names and universes set since it was switched on, whenever it restarts.
    ForgetsAtRestart,
    /// Loses everything it was told, its address too, when its power goes.
    KeepsNothing,
    /// Keeps only the first eight bytes of its name.
    CutsNames,
    /// Moves the port beside along with the one it is told.
    MovesTheNeighbour,
    /// Takes what it is told two seconds later.
    ObeysLate,
    /// Says that it cannot be told what to do on data loss, and can; or the other way round.
    IgnoresCommands,
    /// Every second write is lost in it.
    LosesEverySecondWrite,

    // What it does with firmware.
    /// Answers no block.
    DeafToFirmware,
    /// Says at the end that it failed.
    RefusesFirmware,
    /// Says that all is good, and runs what it had.
    KeepsOldFirmware,
    /// Takes each block for the next one, whatever its number.
    CountsBlocksItself,
    /// Needs three seconds for every sixty-fourth block.
    SlowFlash,
    /// Has other settings after it has got other firmware.
    LosesSettingsWithFirmware,
    /// Goes off in the middle of a file, for good.
    DiesOfFirmware,

    // How it answers polls.
    /// Answers only polls that went to everybody.
    OnlyBroadcastPolls,
    /// Answers only every second poll.
    EverySecondPoll,
    /// Sends 198 bytes, without MAC address, style and all that follows.
    Sends198,
    /// Sends 207 bytes, without bind index, second status and all that follows.
    Sends207,
    /// States another address than it has.
    StatesAnotherAddress,
    /// States 0.0.0.0 as its address.
    StatesNoAddress,
    /// All its pages say that they are the root.
    PagesAllZero,
    /// Its second page has an address and a MAC address of its own.
    PageOfItsOwn,
    /// Listens to the sACN universe one above its Port-Address.
    CountsSacnFromOne,
    /// States a port count of zero.
    CountsZero,
    /// Pads its names with spaces.
    PadsNames,
    /// Has no short name.
    Nameless,
    /// Answers by broadcast under a mask that nobody else has.
    AnswersUnderItsMask,
    /// Answers each poll twice.
    AnswersTwice,
    /// Says that it does RDM, and tells nobody who hangs on its cables.
    TellsNoTables,
    /// Each page counts its own answers, and all but the first report a fault.
    PagesReportThemselves,
}
