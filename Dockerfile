# An image with nothing but the static binary: build it beside a binary for Linux, as .ci/release makes it.
#   docker build -t usualpath .
#   docker run --rm --network host -v "$PWD:/project:ro" -w /project usualpath run
FROM scratch
COPY usualpath /usualpath
ENTRYPOINT ["/usualpath"]
CMD ["--help"]
