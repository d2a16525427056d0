"""A passkey is made and used in a real browser, with an authenticator that Chromium plays."""

import pytest

from tests.browser.conftest import accessible

pytestmark = pytest.mark.browser


def with_authenticator(page):
    """A platform authenticator whose user is always there."""
    session = page.context.new_cdp_session(page)
    session.send("WebAuthn.enable")
    wishes = {
        "protocol": "ctap2",
        "transport": "internal",
        "hasResidentKey": True,
        "hasUserVerification": True,
        "isUserVerified": True,
        "automaticPresenceSimulation": True,
    }
    session.send("WebAuthn.addVirtualAuthenticator", {"options": wishes})


def local(served):
    """Passkeys are for names, not for addresses."""
    return served.url.replace("127.0.0.1", "localhost")


def test_a_passkey_is_made_asked_for_and_removed(page, served):
    with_authenticator(page)
    page.goto(f"{local(served)}/sign-in")
    page.get_by_role("button", name="Rowan Achterberg").click()
    page.goto(f"{local(served)}/account")
    page.get_by_label("Name", exact=True).fill("this laptop")
    page.get_by_role("button", name="Add passkey").click()
    page.get_by_role("cell", name="this laptop", exact=True).wait_for()
    accessible(page)
    page.context.clear_cookies()
    page.goto(f"{local(served)}/sign-in")
    page.get_by_label("Mail address").fill("rowan.achterberg@lanternfield.example")
    page.get_by_label("Password").fill("reeds and rushes")
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.wait_for_url("**/sign-in/code")
    accessible(page)
    page.get_by_role("button", name="Use a passkey").click()
    page.wait_for_url(f"{local(served)}/")
    page.goto(f"{local(served)}/account")
    assert "never" not in page.get_by_role("row", name="this laptop").inner_text()
    page.get_by_role("button", name="Remove this laptop").click()
    page.get_by_role("cell", name="this laptop", exact=True).wait_for(state="detached")
