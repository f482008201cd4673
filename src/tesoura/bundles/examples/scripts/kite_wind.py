"""A made-up wind, told line by line: an example of a program that is kept running.

Each line is one message in JSON; “gust” comes now and then and can be made an event of.
"""

import json
import random
import time

wind = 12.0
while True:
    wind = max(0.0, min(40.0, wind + random.uniform(-1.5, 1.5)))
    print(json.dumps({"wind_kmh": round(wind, 1), "gust": wind > 25}), flush=True)
    time.sleep(2)
