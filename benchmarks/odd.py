"""A shop walked about by each of its people, every form posted with odd values: no error, nothing slow."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from random import Random

from benchmarks.figure import Figure

POSTS = 300
QUESTIONS = 100
SEED = 20261125


def measure() -> Iterator[Figure]:
    """Odd posts and odd questions by owner, smith and counter, on a demonstration of their own."""
    from benchmarks.pages import demonstration

    with demonstration():
        from django.test import Client

        from web.odd_posts import FILES, ODD, SLOW, Walk, some_oddness
        from web.test_odd_posts import QUESTIONS as ASKED
        from wryfalcon.accounts.models import User
        from wryfalcon.warming import warm_up

        logging.disable(logging.WARNING)  # refusals are what is asked for here
        warm_up().join()  # as the server does when it starts
        for name in ("orla", "tam", "wren"):
            random = Random(f"{SEED} {name}")
            client = Client(SERVER_NAME="127.0.0.1")
            client.force_login(User.objects.get(username=name))
            walk = Walk(client, each=8).go()
            forms = list(walk.forms.values())
            for _ in range(POSTS):
                form = random.choice(forms)
                walk.post(form, some_oddness(form, random), random.choice(FILES))
            for _ in range(QUESTIONS):
                asked = {key: random.choice(ODD) for key in random.sample(ASKED, 4)}
                walk.ask(random.choice(walk.addresses).split("?")[0], asked)
            yield from (Figure(str(fault), False) for fault in walk.faults[:20])
            says = (
                f"{name}: {len(forms)} forms, {len(walk.addresses)} addresses, {POSTS} odd posts and {QUESTIONS} "
                f"odd questions: {len(walk.faults)} errors of ours or slower than {SLOW:g} s (goal 0)"
            )
            yield Figure(says, not walk.faults)
