"""Signing in, invitations and rigs: what lets somebody in, and what doesn't any more."""

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from uuid import uuid4

import pytest
from argon2 import PasswordHasher
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.tables import Invitation, Person, RigToken, SignIn, SignInAttempt
from fleet_rival.services.people import guessing, invitations, members, passwords, rigs, sign_in
from fleet_rival.services.people.sign_in import Signed
from fleet_rival.services.people.team import add_person, first_link, give_password, make_team
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused, TooMany
from tests.conftest import manager_of

Sessions = sessionmaker[Session]
KEY, GOOD = b"a key", "quartz kettle meadow"


def enter(sessions: Sessions, name: str = "maren", password: str = GOOD, address: str = "127.0.0.1") -> str:
    return sign_in.sign_in(sessions, name, password, address, KEY, "a test")[0]


def signed(sessions: Sessions, token: str) -> Signed:
    found = sign_in.signed_in(sessions, token)
    assert found is not None
    return found


@pytest.fixture
def actor(sessions: Sessions) -> Actor:
    made = manager_of(sessions)
    give_password(sessions, made.person_id, "Maren", GOOD)
    return made


@pytest.fixture
def quick_hashes(monkeypatch: pytest.MonkeyPatch) -> None:
    """For many attempts in a row: hashes that take no time, of the same kind."""
    quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
    monkeypatch.setattr(passwords, "_hasher", quick)
    monkeypatch.setattr(passwords, "_nobody", lambda: quick.hash("nobody's"))


def test_a_right_password_signs_in_and_what_is_stored_would_let_nobody_in(sessions: Sessions, actor: Actor) -> None:
    token = enter(sessions, " MAREN ")
    assert signed(sessions, token).actor == actor
    with sessions() as session:
        stored = session.scalars(select(SignIn.token_hash)).one()
        assert token not in stored and sign_in.signed_in(sessions, stored) is None
        password = session.get_one(Person, actor.person_id).password_hash or ""
    assert password.startswith("$argon2id$") and GOOD not in password
    assert enter(sessions) != token


@pytest.mark.parametrize(
    ("name", "password"), [("maren", "wrong"), ("nobody", GOOD), ("", GOOD), ("maren", ""), ("a b", GOOD)]
)
def test_what_is_wrong_is_not_told(sessions: Sessions, actor: Actor, name: str, password: str) -> None:
    with pytest.raises(Refused, match="The name or the password isn't right"):
        enter(sessions, name, password)


def wrongly(
    sessions: Sessions, times: int, name: str = "maren", address: str = "127.0.0.1", kept: str | None = None
) -> None:
    for _ in range(times):
        with pytest.raises(Refused):
            sign_in.sign_in(sessions, name, "wrong", address, KEY, "a test", kept)


def later(sessions: Sessions, seconds: float) -> None:
    """Time goes by: all that was tried lies so much longer back."""
    with sessions.begin() as session:
        for row in session.scalars(select(SignInAttempt)):
            row.failed_at -= timedelta(seconds=seconds)


@pytest.mark.usefixtures("quick_hashes")
def test_guesses_at_a_name_wait_longer_each_time_and_a_minute_at_most(sessions: Sessions, actor: Actor) -> None:
    wrongly(sessions, guessing.FREE_TRIES)
    waits = []
    for _ in range(10):
        with pytest.raises(TooMany) as told:
            enter(sessions)  # even with the right one, from the same place
        waits.append(told.value.wait_seconds)
        later(sessions, told.value.wait_seconds)
        wrongly(sessions, 1)
    assert waits == [1, 2, 4, 8, 16, 32, 60, 60, 60, 60]
    # What is tried while it has to wait counts for nothing: the wait can't be renewed for ever.
    later(sessions, 60)
    assert enter(sessions)
    wrongly(sessions, 1)
    assert enter(sessions), "a right password forgets the wrong ones before it"


@pytest.mark.usefixtures("quick_hashes")
def test_a_strangers_guesses_lock_nobody_out(sessions: Sessions, actor: Actor) -> None:
    _, kept = sign_in.sign_in(sessions, "maren", GOOD, "127.0.0.1", KEY, "a test")
    for number in range(60):
        wrongly(sessions, 1, f"name-{number}")
    wrongly(sessions, guessing.FREE_TRIES)
    with pytest.raises(TooMany):
        enter(sessions)
    assert enter(sessions, address="10.0.0.1"), "from elsewhere"
    token, again = sign_in.sign_in(sessions, "maren", GOOD, "127.0.0.1", KEY, "a test", kept)
    assert token and again == kept, "in a browser in which the person has been before"
    other = add_person(sessions, actor, "Corin Ashgrove", "driver")
    give_password(sessions, other.person_id, "corin", GOOD)
    assert enter(sessions, "corin"), "somebody else from the same place"


@pytest.mark.usefixtures("quick_hashes")
def test_a_known_browser_is_known_for_its_person_alone_and_waits_for_its_own_guesses(
    sessions: Sessions, actor: Actor
) -> None:
    _, kept = sign_in.sign_in(sessions, "maren", GOOD, "127.0.0.1", KEY, "a test")
    assert guessing.known_browser(KEY, "maren", kept) and not guessing.known_browser(KEY, "corin", kept)
    for forged in (None, "", "x", "a.b", f"{kept}x", f"x{kept}", "ä.ö"):
        assert guessing.known_browser(KEY, "maren", forged) is None
    wrongly(sessions, guessing.FREE_TRIES, kept=kept)
    with pytest.raises(TooMany):
        sign_in.sign_in(sessions, "maren", GOOD, "127.0.0.1", KEY, "a test", kept)


@pytest.mark.usefixtures("quick_hashes")
def test_the_person_is_told_of_wrong_passwords(sessions: Sessions, actor: Actor) -> None:
    assert members.me(sessions, actor, KEY).wrong_passwords is None
    wrongly(sessions, 3)
    enter(sessions)
    told = members.me(sessions, actor, KEY).wrong_passwords
    assert told is not None and told.count == 3 and now() - told.last_at < timedelta(minutes=1)


@pytest.mark.usefixtures("quick_hashes")
def test_many_guesses_at_once_do_not_slip_through(sessions: Sessions, actor: Actor) -> None:
    with ThreadPoolExecutor(12) as pool:

        def guess(_: int) -> str:
            try:
                enter(sessions, password="wrong")
            except (Refused, TooMany) as error:
                return type(error).__name__
            return "in"

        tried = list(pool.map(guess, range(24)))
    assert tried.count("Refused") <= guessing.FREE_TRIES + 1 and "in" not in tried


@pytest.mark.usefixtures("quick_hashes")
def test_changing_the_password_is_no_way_to_guess_it(sessions: Sessions, actor: Actor) -> None:
    own = signed(sessions, enter(sessions))
    for _ in range(guessing.FREE_TRIES):
        with pytest.raises(Refused):
            members.change_password(sessions, own, "wrong", "another kettle meadow", "a test", KEY)
    with pytest.raises(TooMany):
        members.change_password(sessions, own, GOOD, "another kettle meadow", "a test", KEY)
    later(sessions, 1)
    assert members.change_password(sessions, own, GOOD, "another kettle meadow", "a test", KEY)


def test_who_has_no_link_costs_no_hash(sessions: Sessions, actor: Actor, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(invitations, "hash_password", lambda password: pytest.fail("hashed for a stranger"))
    with pytest.raises(NotThere):
        invitations.accept(sessions, "no token", "Somebody", "somebody", "quartz kettle meadow", "a test")


def test_so_many_passwords_at_once_and_no_more_and_known_browsers_have_a_place_of_their_own(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(passwords, "_WAIT_SECONDS", 0.05)
    with passwords._place(False), passwords._place(False):
        with pytest.raises(TooMany):
            passwords.hash_password(GOOD)
        assert passwords.password_is(passwords.hash_password(GOOD, known=True), GOOD, known=True)


@pytest.mark.parametrize(("column", "age"), [("used_at", sign_in.IDLE_LIFE), ("began_at", sign_in.ABSOLUTE_LIFE)])
def test_who_is_idle_or_in_for_long_is_out(sessions: Sessions, actor: Actor, column: str, age: timedelta) -> None:
    token = enter(sessions)
    with sessions.begin() as session:
        session.execute(update(SignIn).values(**{column: now() - age + timedelta(minutes=1)}))
    assert sign_in.signed_in(sessions, token)
    with sessions.begin() as session:
        session.execute(update(SignIn).values(**{column: now() - age - timedelta(seconds=1)}))
    assert sign_in.signed_in(sessions, token) is None


def test_one_browser_or_all_are_signed_out_on_demand(sessions: Sessions, actor: Actor) -> None:
    here, there, elsewhere = enter(sessions), enter(sessions), enter(sessions)
    listed = sign_in.browsers(sessions, signed(sessions, here))
    assert len(listed) == 3 and sum(item.this_one for item in listed) == 1
    other = make_team(sessions, "Elsewhere", "Somebody Else")
    with sessions.begin() as session:
        stranger = sign_in.start(session, other.person_id, other.team_id, "theirs")
    with pytest.raises(NotThere):
        sign_in.end_one(sessions, signed(sessions, stranger), listed[0].id)
    with sessions() as session:
        key = session.scalars(select(SignIn.public_id).where(SignIn.token_hash == sign_in.hash_of(there))).one()
    sign_in.end_one(sessions, signed(sessions, here), key)
    assert sign_in.signed_in(sessions, there) is None and sign_in.signed_in(sessions, elsewhere)
    new = members.change_password(sessions, signed(sessions, here), GOOD, "garnet ferry walnut", "a test", KEY)
    assert [bool(sign_in.signed_in(sessions, token)) for token in (here, elsewhere, new, stranger)] == [
        False,
        False,
        True,
        True,
    ]
    with pytest.raises(Refused, match="isn't right"):
        members.change_password(sessions, signed(sessions, new), GOOD, "garnet ferry walnut", "a test", KEY)


@pytest.mark.parametrize(
    "password",
    ["short", "x" * 129, "aaaaaaaaaaaa", "maren-2031-maren", "my password is", "Fleet Rival 31", "1234567890"],
)
def test_an_easy_password_is_refused(sessions: Sessions, password: str) -> None:
    with pytest.raises(Refused, match=r"password"):
        passwords.check_password_rules(password, "Maren Holloway", "maren")


def test_an_invitation_works_once_and_not_for_ever(sessions: Sessions, actor: Actor) -> None:
    view, token = invitations.invite(sessions, actor, "Idrik Fenwold", "coach", None)
    assert invitations.welcome(sessions, token).team == "Farhaven Racing"
    with sessions() as session:
        assert token not in session.scalars(select(Invitation.token_hash)).one()
    with pytest.raises(Conflict, match="signs in with this name already"):
        invitations.accept(sessions, token, "Idrik Fenwold", "maren", "garnet ferry walnut", "a test")
    came = invitations.accept(sessions, token, "Idrik Fenwold", "idrik", "garnet ferry walnut", "a test")
    found = signed(sessions, came).actor
    assert found is not None and found.role == "coach" and found.team_id == actor.team_id
    for use in (
        invitations.welcome,
        lambda *given: invitations.accept(*given, "x", "xx", "garnet ferry walnut", "a test"),
    ):
        with pytest.raises(NotThere, match="can't be used"):
            use(sessions, token)
    with pytest.raises(Conflict, match="taken up already"):
        invitations.withdraw(sessions, actor, view.id)
    withdrawn, token = invitations.invite(sessions, actor, "Somebody", "driver", None)
    invitations.withdraw(sessions, actor, withdrawn.id)
    _, old = invitations.invite(sessions, actor, "Somebody", "driver", None)
    with sessions.begin() as session:
        session.execute(
            update(Invitation).where(Invitation.token_hash == sign_in.hash_of(old)).values(expires_at=now())
        )
    for gone in (token, old, "never was"):
        with pytest.raises(NotThere):
            invitations.welcome(sessions, gone)
    assert invitations.invitations(sessions, actor) == []


def test_one_person_is_in_several_teams_with_a_role_in_each(sessions: Sessions, actor: Actor) -> None:
    other = make_team(sessions, "Quarry Works", "Odalys Wrenwick")
    _, token = invitations.invite(sessions, other, "Maren", "driver", None)
    here = signed(sessions, enter(sessions))
    invitations.join(sessions, here, token)
    with sessions() as session:
        cookie = session.get_one(SignIn, here.sign_in_id)
        assert cookie.team_id == other.team_id
    me = members.me(sessions, Actor(other.team_id, actor.person_id, "driver"), KEY)
    assert [(team.name, team.role) for team in me.teams] == [("Farhaven Racing", "manager"), ("Quarry Works", "driver")]
    sign_in.open_team(sessions, here, me.teams[0].id)
    with pytest.raises(NotThere):
        sign_in.open_team(sessions, here, uuid4())
    # Out of one team, still in the other.
    member = next(item for item in members.members(sessions, other) if item.person == "Maren Holloway")
    members.remove_member(sessions, other, member.id)
    assert signed(sessions, enter(sessions)).actor == actor


def test_who_is_removed_is_out_at_once_and_cannot_come_in(sessions: Sessions, actor: Actor) -> None:
    coach = add_person(sessions, actor, "Idrik Fenwold", "coach")
    give_password(sessions, coach.person_id, "idrik", GOOD)
    token = enter(sessions, "idrik")
    member = next(item for item in members.members(sessions, actor) if item.person == "Idrik Fenwold")
    members.change_member(sessions, actor, member.id, member.version, "driver", None)
    found = signed(sessions, token).actor
    assert found is not None and found.role == "driver"  # a role counts from the next request on
    members.remove_member(sessions, actor, member.id)
    assert signed(sessions, token).actor is None
    with pytest.raises(Refused, match="aren't in a team any more"):
        enter(sessions, "idrik")


def test_a_rigs_token_delivers_until_it_is_revoked_or_its_maker_goes(sessions: Sessions, actor: Actor) -> None:
    key, token = rigs.make_rig_token(sessions, actor, "Cellar")
    found = sign_in.rig(sessions, token)
    assert found is not None and (found.role, found.team_id, found.sees_all) == ("rig", actor.team_id, False)
    with sessions() as session:
        stored = session.scalars(select(RigToken.token_hash)).one()
    assert sign_in.rig(sessions, stored) is None and sign_in.signed_in(sessions, token) is None
    rigs.revoke_rig_token(sessions, actor, key)
    assert sign_in.rig(sessions, token) is None
    assert [rig.revoked for rig in rigs.rigs(sessions, actor)] == [True]


def test_the_first_link_of_an_empty_installation_makes_a_manager_once(sessions: Sessions) -> None:
    old, link = first_link(sessions), first_link(sessions)
    assert old and link
    with pytest.raises(NotThere):
        invitations.welcome(sessions, old)  # only the last one printed works
    found = signed(sessions, invitations.accept(sessions, link, "Maren Holloway", "maren", GOOD, "a test")).actor
    assert found is not None and found.role == "manager"
    assert first_link(sessions) is None


def test_choices_made_at_once_are_all_kept(sessions: Sessions, actor: Actor) -> None:
    choices: list[dict[str, str]] = [
        {"theme": "paper"},
        {"density": "roomy"},
        {"speed": "mph"},
        {"temperature": "°F"},
    ] * 5
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda choice: members.prefer(sessions, actor, choice), choices))
    assert members.me(sessions, actor, KEY).preferences == {
        "theme": "paper",
        "density": "roomy",
        "speed": "mph",
        "temperature": "°F",
    }
