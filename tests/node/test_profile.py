"""Profiles in the page."""

OWN = {"up": "y", "first_frame": "0", "names": ""}


def test_only_what_differs_is_kept(modules):
    assert modules("profile", "differing", {"up": "z", "first_frame": "0", "names": ""}, OWN) == {"up": "z"}


def test_a_profile_is_read_or_refused(modules):
    assert modules("profile", "profileOf", '{"up": "z", "names": {"a:b": "C"}}', OWN) == {"up": "z", "names": "a:b = C"}
    for wrong in ("[]", '{"upp": 1}', "no"):
        try:
            modules("profile", "profileOf", wrong, OWN)
        except Exception:
            continue
        raise AssertionError(wrong)
