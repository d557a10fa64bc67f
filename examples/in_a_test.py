"""Data for a test: a small dataset as frames, the same on every run, with what the test needs to know about it."""

import weltigen

MODEL = """
CREATE TABLE pier (pier_id integer PRIMARY KEY, name varchar(40) NOT NULL UNIQUE);
CREATE TABLE mooring (mooring_id integer PRIMARY KEY, pier_id integer NOT NULL REFERENCES pier, number integer NOT NULL,
                      boat_name varchar(40), UNIQUE (pier_id, number));
"""


def free_moorings(moorings):
    """The code under test: how many moorings of each pier have no boat."""
    return moorings[moorings["boat_name"].isna()].groupby("pier_id").size()


def test_free_moorings_are_counted_for_each_pier():
    dataset = weltigen.read_model(MODEL).dataset(seed=4, rows={"pier": 4, "mooring": 40})
    moorings = dataset.frame("mooring")
    assert free_moorings(moorings).sum() == moorings["boat_name"].isna().sum() > 0
    assert set(moorings["pier_id"]) <= set(dataset.frame("pier")["pier_id"])


if __name__ == "__main__":
    test_free_moorings_are_counted_for_each_pier()
    print("passed")
