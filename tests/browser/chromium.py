"""How Debian's Chromium is started for tests."""

CHROMIUM = "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-default-apps",
    "--no-first-run", "--disable-extensions", "--disable-domain-reliability", "--disable-breakpad", "--force-color-profile=srgb",
    "--font-render-hinting=none",
]  # fmt: skip
