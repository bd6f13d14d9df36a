"""Many machines: columns, classes, counts, the order, money, what if."""
