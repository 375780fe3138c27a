from __future__ import annotations

from hombi.core.series.standing import Stood, by_rows


def test_pieces_are_put_into_rows_and_parted_where_one_lies_across() -> None:
    pieces = [Stood(5, 10, 5, 5), Stood(10, 20, 2, 8), Stood(18, 38, 20, 20), Stood(60, 70, 0, 10)]
    assert by_rows(pieces, [0, 10, 30, 40, 50, 65]) == [
        Stood(0, 10, 5, 5),
        Stood(10, 30, 14, 20),
        Stood(30, 40, 8, 8),
        Stood(50, 65, 0, 5),
    ]
    assert by_rows([], [0, 10]) == []
    assert by_rows([Stood(0, 4, 4, 4)], [10, 20]) == []
