# Build the wheel first: ./run wheel
FROM python:3.11-slim-bookworm
RUN useradd --create-home thicket && mkdir /data && chown thicket /data
COPY requirements.lock requirements-dev.lock dist/*.whl /tmp/
RUN pip install --no-cache-dir -c /tmp/requirements-dev.lock "$(ls /tmp/*.whl)[redis,s3]" && rm /tmp/*.whl \
 # Compiled once here, so that the first picture does not wait for it.
 && python -m amber_thicket.warm
USER thicket
VOLUME /data
EXPOSE 8760
ENTRYPOINT ["amber-thicket"]
CMD ["serve", "--data", "/data", "--host", "0.0.0.0"]
