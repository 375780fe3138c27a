"""Links: the ways of reaching nodes. One folder a link; in each, codec apart from
transport apart from driver."""
