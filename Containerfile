# Brook on Debian's packages; see docs/guides/serving.md.
FROM debian:bookworm-slim
RUN apt-get update \
    && apt-get install -y --no-install-recommends python3 python3-venv ca-certificates \
    && rm -rf /var/lib/apt/lists/* \
    && useradd --create-home --uid 1000 brook \
    && install -d -o brook -g brook /data
WORKDIR /opt/brook
COPY requirements.lock ./
RUN python3 -m venv /opt/venv && /opt/venv/bin/pip install --no-cache-dir -r requirements.lock
COPY pyproject.toml README.md ./
COPY src ./src
RUN /opt/venv/bin/pip install --no-cache-dir --no-deps --no-build-isolation . && rm -rf src
USER brook
# Code is compiled once, now, so that nobody waits for it.
RUN /opt/venv/bin/brook warm
VOLUME /data
EXPOSE 8430
ENTRYPOINT ["/opt/venv/bin/brook"]
CMD ["serve", "--data", "/data", "--host", "0.0.0.0", "--plain"]
