// Opens the page again once the program answers.
setInterval(
    () =>
        fetch("/healthz").then(
            () => location.reload(),
            () => {},
        ),
    2000,
);
