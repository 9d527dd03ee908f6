"""The day at the bench: put together, put into order, moved by hand, followed, and never overwritten unseen."""

import re
from datetime import UTC, date, datetime, timedelta
from itertools import count

from playwright.sync_api import expect

from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.tasks import RUN
from amber_ladder.work import day
from amber_ladder.work.stack.views import StackView
from tests.support.browser import PageTest
from tests.support.takes import new_stack, shot_stack, take_of

_NUMBERS = count(1)


class DayAtTheBench(PageTest):
    # Today's list depends on the hour at which the tests run: dates to come do not.
    def stack(self, like: StackView | None = None) -> StackView:
        made = new_stack(f"DB-{next(_NUMBERS)}")
        if like:
            with transaction() as session:
                row, other = (stacks.get_stack(session, one.id) for one in (made, like))
                row.rig_id, row.rig_name = other.rig_id, other.rig_name
        return made

    def put_on_list(self, *made: StackView) -> None:
        page = self.page
        page.get_by_role("button", name="Add to the list").click()
        for one in made:
            page.get_by_role("dialog").get_by_role("searchbox").fill(one.specimen.catalogue_number)
            page.get_by_role("checkbox", name=re.compile(one.specimen.catalogue_number + " ")).check()
        page.get_by_role("dialog").get_by_role("searchbox").fill("")
        page.get_by_role("button", name=re.compile("^Put .* on the list")).click()
        expect(page.get_by_role("dialog")).to_be_hidden()

    def rows(self) -> list[str]:
        return [one.split(" ")[0] for one in self.page.locator("main ol a").all_inner_texts()]

    def test_planned_ordered_moved_and_followed(self) -> None:
        page = self.page
        one = self.stack()
        other = self.stack()
        again = self.stack(one)
        numbers = [made.specimen.catalogue_number for made in (one, other, again)]
        page.goto("/day?on=2031-02-03")
        expect(page.get_by_role("heading", name=re.compile("Monday,? 3 February 2031"))).to_be_visible()
        expect(page.get_by_text("Nothing stands on the list of this day")).to_be_visible()
        self.put_on_list(one, other, again)
        expect(page.get_by_role("img", name=re.compile("band of time"))).to_be_visible()
        self.assertEqual(self.rows(), numbers)
        status = page.get_by_role("status")
        page.get_by_role("button", name="Best order").click()
        expect(status).to_contain_text("No better order is possible")
        expect(status).to_contain_text("1 change of rig fewer")
        self.assertEqual(sorted(self.rows()), sorted(numbers))
        self.assertNotEqual(self.rows()[1], numbers[1])
        page.get_by_role("button", name=re.compile(f"^{self.rows()[1]} .* later")).click()
        expect(status).to_contain_text("1 change of rig more, done")
        self.assert_accessible()
        # What was really shot stands first, with its own time; the rest follows.
        take_of(again, shot_stack().takes[0].frames[:4])
        page.reload()
        expect(page.get_by_role("list").get_by_text("shot", exact=True)).to_be_visible()
        self.assertEqual(self.rows()[0], numbers[2])

    def test_today_stands_in_the_cabinet_and_leads_to_what_is_next(self) -> None:
        page = self.page
        made = [self.stack() for _ in range(3)]
        on = date.today()
        left = day.read(on)
        hours = {"starts_at": datetime.now(UTC) - timedelta(hours=2), "ends_at": datetime.now(UTC) + timedelta(hours=9)}
        items = [{"stack_id": one.id} for one in made]
        entry = {**hours, "items": items, "seen": left.revision if left else 0}
        day.change(on, day.DayEntry.model_validate(entry))
        take_of(made[1], shot_stack().takes[0].frames[:4])
        page.goto("/ledger")
        page.get_by_role("table").wait_for()
        page.keyboard.press("D")
        first = made[0].specimen.catalogue_number
        expect(page.get_by_role("link", name=f"Next: {first}")).to_be_visible()
        page.keyboard.press("c")
        today = page.get_by_role("region", name="Today")
        expect(today).to_contain_text("1 of 3 shot")
        self.assert_accessible()
        today.get_by_role("link", name=re.compile(f"^Next, .*{first}")).click()
        expect(page).to_have_url(re.compile(f"/stacks/{made[0].id}/shoot"))

    def test_what_does_not_wait_is_said_and_can_be_taken_off(self) -> None:
        page = self.page
        made = self.stack()
        name = made.specimen.catalogue_number
        page.goto("/day?on=2031-02-05")
        self.put_on_list(made)
        page.get_by_role("button", name=f"Time for {name}").click()
        page.get_by_role("combobox", name="Does it wait?").click()
        page.get_by_role("option", name="it must be shot by a time").click()
        page.get_by_label("Its last frame by").fill("00:01")
        page.get_by_role("button", name="Keep this").click()
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text(f"1 stack does not fit into this day: {name}")
        expect(page.get_by_text("Even as the first of all")).to_be_visible()
        page.get_by_role("button", name=f"Time for {name}").click()
        page.get_by_role("combobox", name="Does it wait?").click()
        page.get_by_role("option", name="a snow crystal").click()
        page.get_by_label("May shrink by").fill("5000")
        self.allowed = ["/api/plan/vanishing", "/api/days/"]
        expect(alert).to_contain_text("less than half the crystal")
        page.get_by_role("button", name="Keep this").click()
        expect(page.get_by_role("dialog").get_by_role("alert").last).to_contain_text("half the crystal")
        page.keyboard.press("Escape")
        page.get_by_role("button", name=re.compile(f"Remove {name} .* from the list")).click()
        expect(page.get_by_text("Nothing stands on the list of this day")).to_be_visible()
        page.keyboard.press("u")
        page.get_by_role("button", name="Undo this").click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("list").get_by_role("link", name=re.compile(name))).to_be_visible()

    def test_a_day_that_is_over_tells_what_was_not_shot(self) -> None:
        page = self.page
        made, late = self.stack(), self.stack()
        starts_at = datetime(2026, 1, 5, 9, tzinfo=UTC)
        hours = {"starts_at": starts_at, "ends_at": starts_at + timedelta(hours=8)}
        items = [{"stack_id": made.id}, {"stack_id": late.id, "by_at": starts_at}]
        day.change(date(2026, 1, 5), day.DayEntry.model_validate({**hours, "items": items}))
        take_of(late, shot_stack().takes[0].frames[:4])
        page.goto("/day?on=2026-01-05")
        name = made.specimen.catalogue_number
        expect(page.get_by_role("note")).to_contain_text(f"1 stack was not shot: {name}")
        expect(page.get_by_role("status")).to_contain_text("1 of 2 shot.")
        rows = page.locator("main ol > li")
        expect(rows.first).to_contain_text("after its last moment")
        expect(rows.last).to_contain_text("not shot")
        self.assertEqual(page.get_by_role("button", name="Best order").count(), 0)

    def test_two_windows_see_the_same_list(self) -> None:
        page = self.page
        one, two = self.stack(), self.stack()
        page.goto("/day?on=2031-02-06")
        self.put_on_list(one)
        second = page.context.new_page()
        second.goto("/day?on=2031-02-06")
        expect(second.get_by_role("link", name=re.compile(one.specimen.catalogue_number)).last).to_be_visible()
        self.put_on_list(two)
        expect(second.get_by_role("link", name=re.compile(two.specimen.catalogue_number))).to_be_visible()

    def test_how_long_hands_took_is_told_and_taken_over(self) -> None:
        page = self.page
        shots = [shot_stack(f"DB-RUN-{number}") for number in range(4)]
        begun = datetime.now(UTC) - timedelta(days=2)
        with transaction() as session:
            for place, shot in enumerate(shots):
                take = stacks.get_take(session, shot.takes[0].id)
                assert take.task is not None
                take.stack.rig_id, take.task.kind = 1, RUN
                take.created_at = begun + place * timedelta(minutes=20)
                take.task.ended_at = take.created_at + timedelta(minutes=13)
        page.goto("/day?on=2031-02-07")
        page.get_by_role("button", name="Hours and breaks").click()
        sheet = page.get_by_role("dialog")
        expect(sheet).to_contain_text(
            "Between the runs of the last months it took 7 min, four of five 7 to 7 min (n 3)"
        )
        expect(sheet.get_by_label("Setting a specimen up")).to_have_value("10")
        sheet.get_by_role("button", name="Use what it took").click()
        expect(sheet.get_by_label("Setting a specimen up")).to_have_value("7")
        # No change of rig was seen often enough: that stays assumed.
        expect(sheet.get_by_label("A change of rig")).to_have_value("15")
        self.assert_accessible()

    def test_hours_breaks_and_other_days(self) -> None:
        page = self.page
        page.goto("/day?on=2031-02-07")
        expect(page.get_by_role("heading", name=re.compile("Friday,? 7 February 2031"))).to_be_visible()
        self.put_on_list(self.stack())
        page.get_by_role("button", name="Hours and breaks").click()
        page.get_by_label("Until", exact=True).fill("08:00")
        self.allowed = ["/api/days/"]
        page.get_by_role("button", name="Keep these hours").click()
        expect(page.get_by_role("dialog").get_by_role("alert")).to_contain_text("from morning to evening")
        page.get_by_label("Until", exact=True).fill("09:05")
        page.get_by_label("Break 1 until").fill("12:45")
        page.get_by_role("button", name="Keep these hours").click()
        expect(page.get_by_role("dialog")).to_be_hidden()
        expect(page.get_by_role("alert")).to_contain_text("1 stack does not fit")
        page.get_by_role("button", name="Day after").click()
        expect(page.get_by_role("heading", name=re.compile("Saturday,? 8 February 2031"))).to_be_visible()
        expect(page.get_by_text("Nothing stands on the list of this day")).to_be_visible()
        page.get_by_role("button", name="Today").click()
        expect(page).to_have_url(re.compile("/day$"))
