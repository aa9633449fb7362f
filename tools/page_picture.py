# SPDX-License-Identifier: MIT
"""A picture of the live page after some seconds of simulated devices: page_picture.py DEF[,DEF...] OUT.png [WIDTHxHEIGHT
[dark] [TAB]]. Needs python3-selenium and chromium-driver."""
import re
import subprocess
import sys
import time

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

definition, out = sys.argv[1:3]
width, height = map(int, (sys.argv[3] if len(sys.argv) > 3 else "1280x800").split("x"))
devices = [part for each in definition.split(",") for part in (each, "sim:")]
watch = subprocess.Popen(["zeugma", "watch", *devices, "--page", "--answer", "--mark", "tension > 200"],
                         stdout=subprocess.PIPE, text=True)
address = re.search(r"page: (\S+)", watch.stdout.readline())[1]
options = webdriver.ChromeOptions()
options.binary_location = "/usr/bin/chromium"
for each in ["headless=new", "no-sandbox", "disable-gpu", "hide-scrollbars"] + ["blink-settings=preferredColorScheme=0"] * ("dark" in sys.argv):
    options.add_argument("--" + each)
driver = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False})
driver.get(address)
time.sleep(3)
driver.find_element("css selector", "[aria-label$='pick.state']").click()
for tab in sys.argv[5:]:
    driver.find_element("id", f"tab-{tab}").click()
time.sleep(15)
driver.save_screenshot(out)
driver.quit()
watch.send_signal(2)
watch.wait()
