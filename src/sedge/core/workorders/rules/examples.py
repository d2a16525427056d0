"""One example for every rule of the catalogue: what it says when it does not pass. Data; a test
keeps it complete."""

EXAMPLES = {
    "assignment.number-is-free": (
        "0113 496 0142 is Ifeoma Okafor's already. Unassign it first, or choose another."
    ),
    "assignment.usable-yet": (
        "0113 496 0142 can be used from tomorrow 09:00; the task waits for that by itself."
    ),
    "assignment.not-leaving": "0113 496 0142 is on its way back to its carrier.",
    "assignment.capacity-suits-holder": (
        "0113 496 0110 carries one call at a time; Booking line needs a number for many callers."
    ),
    "assignment.holder-may-call-here": (
        "Ifeoma Okafor can't use a number of Brackwater Telecom without Staff seat and Home"
        " calling."
    ),
    "assignment.dispatchable-spot": (
        "Ifeoma Okafor has no emergency spot: an emergency call would not say where to go."
    ),
    "assignment.role-free": "Ifeoma Okafor has a main number already: 0113 496 0142.",
    "assignment.holder-is-here": "Piet Aalders has left the organisation. Choose somebody else.",
    "person.numbers-after-move": (
        "Piet Aalders moves to Canal Museum, and 0113 496 0142 would still be counted at Wharf"
        " House."
    ),
    "path.on-this-number": (
        "Call path Bookings: “Abroad” won't be put through for Bookings: it may not call abroad."
    ),
    "assignment.its-path-holds": "Call path Bookings: at “Ring: the team” nothing would ring now.",
    "group.paths-still-answer": "Call path Bookings: at “Ring: the team” nothing would ring now.",
    "rights.forwards-still-go": (
        "Call path Bookings: “To a colleague” won't be put through for Bookings."
    ),
    "assignment.at-its-site": (
        "0113 496 0142 is a number of Wharf House; Ifeoma Okafor is at Canal Museum."
    ),
    "move.may-go": "0113 496 0142 is on its way back to its carrier; it can't be moved now.",
    "move.its-spot": "Its emergency spot, Wharf House, reception, does not go along.",
    "move.its-trunk": "It stays on the list of Leeds A; Canal Museum has Leeds B.",
    "move.who-pays": (
        "It is still paid on Brackwater main, which is not the account of Canal Museum."
    ),
    "assignment.country-served": (
        "Brackwater Telecom serves holders in the number's own country only; Spree Depot is in DE."
    ),
    "assignment.on-trunk-list": (
        "0113 496 0142 is on no trunk's list, so calls to it would not arrive."
    ),
    "assignment.calling-rights": "Ifeoma Okafor has no calling rights and could not call out.",
    "assignment.line-has-path": (
        "Booking line has no call path on this number yet; callers would hear nothing."
    ),
    "assignment.address-registered": (
        "Brackwater Telecom has no address for 0113 496 0142; an emergency call would"
        " show that until"
        " WHF-001-K is registered."
    ),
    "rights.of-whom-they-are": (
        "Front desk rings for many: everybody there could make international calls."
    ),
    "routes.trunks-there": "“Germany” leads over leeds-b, and there is no such trunk.",
    "routes.each-reached": (
        "“Germany” is never reached: “Europe” has its destinations and comes before it."
    ),
    "routes.dear-limited": (
        "“Abroad” puts dear calls through without a limit: nobody would be told of a night of them."
    ),
    "routes.spare-trunk": "“Germany” has one trunk: when it is down, these calls fail.",
    "sbc.name-free": "There is another SBC called Edge one. Choose another name.",
    "sbc.has-a-name": ("192.0.2.7 is an address: over TLS the other side wants a name to compare."),
    "sbc.reached-from-outside": (
        "10.0.0.7 is a private address: carriers reach it over a private line only."
    ),
    "sbc.stand-in-left": (
        "2 trunks end at it, Leeds A among them. Choose another SBC in their settings first."
    ),
    "sbc.there-for-trunk": "The SBC it ends at is gone. Choose another.",
    "trunk.may-move": "Leeds A is suspended, so it can't be suspended.",
    "trunk.numbers-on-it": (
        "Calls to 74 numbers in use would reach nobody, among them 0113 496 0100: they have no"
        " fallback."
    ),
    "trunk.help-still-comes": (
        "No trunk of Wharf House or its country takes its calls. It is the last trunk that takes"
        " emergency calls from there."
    ),
    "trunk.help-still-comes-after": (
        "Leeds A takes no emergency calls, and no other trunk is left for Wharf House. It is the"
        " last trunk that takes emergency calls from there."
    ),
    "trunk.sites-there": "It would serve leeds-2, and there is no such site. Choose others.",
    "trunk.new-sites-there": "It would serve leeds-2, and there is no such site. Choose others.",
    "trunk.serves-its-numbers": (
        "It would not serve Canal Museum, the site of 0113 496 0142 on its list. Calls out of 12"
        " numbers in use would go over other trunks, or nowhere."
    ),
    "trunk.routes-served": (
        "Route “Germany” would have no trunk that serves Canal Museum: calls fail."
    ),
    "trunk.serves-its-site": (
        "Leeds A does not serve Canal Museum: calls to 0113 496 0142 arrive over it, calls out of"
        " it go over another trunk."
    ),
    "routes.trunks-serve": (
        "“Germany” takes the calls of Canal Museum, but none of its trunks serves Canal Museum."
    ),
    "trunk.routes-over-it": "Route “Home” has no other trunk: its calls would fail.",
    "trunk.name-free": "There is another trunk called Leeds A. Choose another name.",
    "trunk.new-name-free": "There is another trunk called Leeds A. Choose another name.",
    "trunk.someone-to-trust": (
        "It registers, and no sign-in name is given. Type the one of the carrier."
    ),
    "trunk.new-someone-to-trust": (
        "It registers, and no sign-in name is given. Type the one of the carrier."
    ),
    "trunk.addresses-reachable": (
        "10.1.2.0/24 is a private address: calls come from it over a private line only."
    ),
    "trunk.new-addresses-reachable": (
        "10.1.2.0/24 is a private address: calls come from it over a private line only."
    ),
    "trunk.not-overheard": (
        "UDP is not encrypted: who calls whom can be read on the way. Use TLS if the other side"
        " has it."
    ),
    "trunk.new-not-overheard": (
        "UDP is not encrypted: who calls whom can be read on the way. Use TLS if the other side"
        " has it."
    ),
    "trunk.calls-known": (
        "Anybody can send X-Trunk: leeds-1. Allow the addresses that its calls come from too."
    ),
    "trunk.send-rules-reached": (
        "49xx. is never reached: the rules before it take all of its numbers."
    ),
    "dial-plan.readable": "A rule can't be read. “9[1”, character 2: “[” is not closed by “]”.",
    "dial-plan.emergency-at-once": (
        "“Stores” goes on after 999 (as in 9990), so a phone would wait. Leave those digits out of"
        " the pattern."
    ),
    "dial-plan.strips-what-is-there": "“Stores” strips more keys than its pattern takes at least.",
    "dial-plan.every-rule-reached": ("“Stores” is never reached: “Workshops” takes the same keys."),
    "life.can-be-taken-back": "0113 496 0142 is available; nobody has it.",
    "life.can-be-reserved": "0113 496 0142 is assigned; only an available number can be reserved.",
    "life.rests": "Ending the rest early means callers of the last holder may reach the next one.",
    "life.can-be-released": "0113 496 0142 is in use; unassign it first.",
    "spot.dispatchable": (
        "The spot “whole address” is not good enough to send responders to: it names no floor."
    ),
    "spot.registered-too": "Brackwater Telecom still has WHF-001-K for 0113 496 0142.",
    "address.can-be-registered": (
        "Fellgate Voice keeps no addresses; the place travels with each call."
    ),
    "place.can-be-told": "0113 496 0142 is not in use, or has no spot; there is nothing to tell.",
    "trunk.same-carrier": "Leeds A leads to another carrier than 0113 496 0142's.",
    "path.still-needed": (
        "Calls to 0113 496 0142 and 3 more follow Bookings. Set another call path for them first."
    ),
    "path.in-service": "Bookings is retired. Publish it again, or choose another.",
    "path.people-are-here": "Piet Aalders can't answer: not, or no longer, in the directory.",
    "path.somebody-rings": (
        "At “Ring: front desk” nothing would ring now: none of its people has a phone that is"
        " registered."
    ),
    "path.greeting-names-keys": "The greeting does not speak of key 3; callers won't know it.",
    "path.mailbox-is-read": (
        "A mailbox has no recipients of its own; where the holder is not a person, nobody reads it."
    ),
    "path.not-overtaken": (
        "Version 4 of Canal Museum front desk has been published since this was drawn from"
        " version 3."
    ),
    "path.greeting-said-well": (
        "“Menu” says key 1 before “visits”; callers have to know what it is for before they can"
        " keep it."
    ),
    "path.steps-are-reached": "“Ring: lending” is reached by no call.",
    "path.every-call-ends": "“Menu” is on a circle that no call leaves.",
    "path.nobody-is-hung-up-on": (
        "“Ring: front desk” hangs up on callers in opening hours: busy, and no way on is drawn"
        " for it."
    ),
    "path.forwards-go-through": (
        "“Forward” won't be put through for 0113 496 0200: this line has no right to call out."
    ),
    "path.sip-address-readable": (
        "“Studio” has “desk” for a SIP address; it looks like sip:desk@example.org."
    ),
    "path.hours-make-sense": (
        "“Opening hours” has hours that overlap: 09:00 to 13:00 and 12:00 to 17:00."
    ),
    "path.recording-is-announced": (
        "“Queue: visits” records calls and tells nobody; say what both hear before."
    ),
    "path.other-paths-lead-on": "“Night duty” comes back to this path.",
    "path.test-cases-pass": (
        "Test case “Sunday morning” has to end mailbox, and ends ended: the path ends here."
    ),
    "person.answering-makes-sense": (
        "Calls that Piet Aalders doesn't answer are to go to a colleague. Choose who."
    ),
    "port.details-complete": "Port 3: account number is missing. Copy from the latest bill.",
    "port.papers-signed": (
        "The mandate of port 3 is not signed. Print it, have it signed, and say by whom."
    ),
    "port.questions-settled": "0117 496 0805 carries the alarm. Say what becomes of it.",
    "port.numbers-can-move": (
        "0117 496 0800 is in the estate already, assigned. Take it out of the port."
    ),
    "port.carrier-takes-it": (
        "Maplecourt Networks does not serve GB. Choose another account for port 3."
    ),
    "port.date-is-possible": (
        "1 December 2026 is too early: the earliest day is 15 December 2026. The losing carrier"
        " will name its own."
    ),
    "port.help-finds-each": (
        "Hattie Brandreth has no emergency spot: an emergency call would not say where to"
        " go. Choose"
        " where they are."
    ),
    "port.holders-may-call": (
        "Hattie Brandreth can't use a number of Brackwater Telecom without Staff seat (£7.50 a"
        " month)."
    ),
    "port.holders-suit": (
        "Nobody has been chosen for the numbers of port 3: callers of all of them would be turned"
        " away from the switch on."
    ),
    "port.back-out-open": (
        "The window for going back closed today 16:00. Ask Old Quay Communications for a port in"
        " the other direction."
    ),
    "drift.known-here": (
        "0113 496 0142 is released here already. Import it again, if the carrier still bills it."
    ),
    "drift.nobody-loses-a-number": (
        "Ifeoma Okafor has 0113 496 0142 and loses it. To keep it, ask the carrier to have it back"
        " in service."
    ),
    "drift.price-told": (
        "0113 496 0142 costs £1.80 a year more than agreed. To dispute that, tell the carrier"
        " instead."
    ),
    "drift.carrier-can-be-told": "0113 496 0142 is in the estate by now; release it as any other.",
    "assignment.who-had-it": (
        "Ifeoma Okafor had it until 91 days ago; their callers may still try it"
    ),
    "port-out.can-be-answered": "Port out 2 is refused already; there is nothing to approve.",
    "port-out.asked-by-us": (
        "The account number is not ours. Refuse it: The account number is wrong."
    ),
    "port-out.help-rings-back": (
        "Without 0113 496 0192, Owen Lark at Wharf House has no other number to be rung back on"
        " after an emergency call. Give the site another main number first."
    ),
    "port-out.what-is-lost": (
        "Ifeoma Okafor will be without it. What depends on them is cleaned up by a work order once"
        " they have gone."
    ),
    "port.day-has-come": (
        "Port 3 is switched from Tuesday 15 December 10:00; the task waits for that by itself."
    ),
    "path.rota-goes-round": "“On duty”: Amara Whitlock swaps a duty and is not rung there.",
    "caller-id.number-given": (
        "Always the same number is to be shown, and none is given. Choose one, or show everybody's"
        " own."
    ),
    "caller-id.is-ours": (
        "0113 496 0170 is available; callers who ring it back would reach nobody. Show"
        " one that is in"
        " use."
    ),
    "caller-id.goes-out": (
        "No trunk leads to Maplecourt Networks, so calls that show 506 234 0142 would be refused."
    ),
    "caller-id.same-country": (
        "030 23125 100 is a number of DE, and Wharf House is in GB: many networks drop such calls."
    ),
    "life.help-rings-back": (
        "Without 0113 496 0200, Owen Lark at Wharf House has no other number to be rung back on"
        " after an emergency call."
    ),
    "life.shown-by-nobody-else": (
        "Wharf House shows 0113 496 0200 on calls out; who rings back would reach nobody."
    ),
    "number.fallback-reachable": (
        "0113 496 0143 comes over the same trunk as 0113 496 0142; when it is down, both are."
        " Choose a number elsewhere."
    ),
    "path.number-in-use": "0113 496 0142 is aging; a call path needs a number in use.",
    "proof.can-be-called": "0113 496 0142 is available; there is nobody to ring.",
    "undo.as-left": "0113 496 0142 has been changed since, so it stays as it is now.",
    "person.address-free": "Jo Baptiste has the mail address jo.b@lanternfield.example already.",
    "person.extension-free": (
        "Jo Baptiste has extension 142 at Wharf House already; calls to it would ring either."
    ),
    "person.new-extension-free": (
        "Jo Baptiste has extension 142 at Wharf House already; calls to it would ring either."
    ),
    "person.manager-is-here": "The manager is not, or no longer, in the directory.",
    "person.holds-nothing": "Piet Aalders still has 0113 496 0142, Home calling, Staff seat.",
    "person.not-alone-in-a-path": (
        "At “Queue: visits” of the call path Canal Museum front desk nobody but Piet Aalders"
        " answers."
    ),
    "person.spot-after-move": (
        "Piet Aalders moves to Canal Museum and has no spot there. Choose where they will be."
    ),
    "group.members-are-here": (
        "Piet Aalders can't be in Front desk team: not, or no longer, in the directory."
    ),
    "group.not-needed": (
        "Wharf House front desk rings Front desk team. Put somebody else there first."
    ),
    "temporary.ends-later": (
        "The moment to put it back, yesterday 17:00, has passed. Choose a later one."
    ),
    "temporary.can-be-put-back": "A release can't be put back, so it can't be temporary.",
    "licence.prerequisites": "Home calling does nothing for Ifeoma Okafor without Staff seat.",
    "licence.fits-holder": "Reception permit is for a service line, not for a person.",
    "licence.seat-left": "No seat of Home calling is left.",
    "licence.still-needed": (
        "Ifeoma Okafor needs Home calling for 0113 496 0142, which would stop working."
    ),
    "licence.exchange": "Ifeoma Okafor does not have Tour guide seat.",
    "licence.can-be-bought": (
        "Reception permit can't be bought. 6 come free, and 1 for every 15 seats of Home calling."
    ),
    "licence.trial-offered": "Tour guide seat has been tried already. Buy seats instead.",
    "licence.can-be-cancelled": (
        "40 of the 40 seats of Staff seat are granted; cancelling 5 would take 5 away from"
        " somebody."
    ),
    "adoption.not-here": "0113 496 0142 is in the estate already, assigned.",
    "adoption.account-and-site": "There is no carrier account “fellgate-old” here.",
    "adoption.holder-is-here": "Piet Aalders has left; a number can't be imported as theirs.",
    "adoption.role-free": "Ifeoma Okafor has a main number already.",
    "adoption.dispatchable-spot": (
        "0113 496 0142 comes in without a spot and stands on Today until it has one."
    ),
    "adoption.licences-held": (
        "Ifeoma Okafor lacks Home calling, which Brackwater Telecom asks for."
    ),
    "person.mail-is-free": "Jo Baptiste has this mail address already.",
    "person.site-is-known": "There is no site “north-wing” here.",
    "person.spot-is-set": "Nobody says yet where responders would find them.",
    "order.enough-money": "The balance of £12.00 does not cover the set-up of £20.00.",
    "order.not-ours-already": "0113 496 0142 is in the estate already.",
    "order.spot-chosen": "No spot is chosen; each number will need one before it is given.",
    "order.papers-on-file": (
        "Brackwater Telecom wants to see a company register extract first; none is on file."
    ),
    "arrival.of-a-form": "The order was not placed on a form; its numbers arrive by themselves.",
    "arrival.numbers-fit": "0113 496 0142 is in the estate already.",
    "order.paper-is-wanted": "The carrier has not rejected this document.",
    "when-free.can-be-bought": "The day until which to look has passed.",
    "device.somebody-is-here": "Ifeoma Okafor has left, so nobody would use the phone.",
    "device.sign-in-reaches-them": (
        "Ifeoma Okafor has no mail address to send the sign-in to. Make a new secret on the phone's"
        " page when it is set up, and hand it over."
    ),
    "caller-name.carrier-shows-it": (
        "CNAM is off for 617 555 0142, so Maplecourt Communications keeps no name for it."
    ),
    "feature.offered": "Fellgate Voice does not offer CNAM.",
    "feature.number-is-here": "0113 496 0142 has not been delivered yet.",
    "feature.help-still-comes": (
        "Without its registration, an emergency call from 0113 496 0142 would not say where to go."
    ),
    "connection.number-is-new": "0113 496 0142 is in the estate already.",
    "connection.signed-in": (
        "Our telephone system is not signed in over there: the password is refused."
    ),
}
