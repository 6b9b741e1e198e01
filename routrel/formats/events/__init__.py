"""Events of a running network, as files tell them."""
