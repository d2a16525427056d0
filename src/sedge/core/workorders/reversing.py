"""What no undo takes back, said before it is run: the kinds of task that are for good, in words."""

FOR_GOOD = {
    "order_numbers": "an order",
    "order_when_free": "an order when free",
    "release_number": "a release",
    "submit_port": "a port that was asked for (cancel the port)",
    "back_out_port": "a port that was backed out of",
    "approve_port_out": "a port out that was approved",
    "tell_carrier": "what a carrier was told",
    "send_paper": "a paper that was sent",
    "place_test_call": "a test call",
    "register_address": "a registration",
    "tell_place": "a place that was told",
    "import_numbers": "what a file brings in (release what should not be here)",
    "start_trial": "a trial that has begun",
    "put_back_later": "a planned put-back (stop its work order)",
}
