"""How far long work is."""

from __future__ import annotations

from juglant.core.memory import RenderStore, elsewhere, handed, newest
from juglant.core.progress import step, steps, told

CALLS: list[int] = []


@newest(4)
@elsewhere(lambda number: f"Number {number}")
def doubled(number: int) -> int:
    """Twice a number, and that it was asked for."""
    CALLS.append(number)
    return 2 * number


def test_steps_are_told_and_what_is_done_for_one_tells_nothing_of_its_own() -> None:
    said: list[tuple[int, int]] = []
    with told(lambda done, of: said.append((done, of))):
        for name in steps(["a", "b"]):
            for _ in steps(name * 5):
                step(9, 9)
        step(2, 2)
    assert said == [(0, 2), (1, 2), (2, 2)]
    # Where nobody asks it is lost.
    assert list(steps(iter("ab"))) == ["a", "b"]
    assert said[-1] == (2, 2)


def test_what_takes_long_is_computed_by_the_runner_of_its_store_and_remembered() -> None:
    CALLS.clear()
    asked: list[tuple[object, ...]] = []

    def run(title: str, name: str, arguments: tuple) -> object:
        asked.append((title, name, arguments))
        return 100

    with handed(RenderStore(runner=run)):
        assert [doubled(4), doubled(4)] == [100, 100]
    assert asked == [("Number 4", f"{__name__}:doubled", (4,))]
    assert CALLS == []
    with handed(RenderStore()):
        assert [doubled(4), doubled(4)] == [8, 8]
    assert CALLS == [4]
