"""Uploads stay in memory and stop at a limit, so that a huge file costs nothing."""

from django.core.files.uploadhandler import MemoryFileUploadHandler

LARGEST_BYTES = 5_000_000


class LimitedUpload(MemoryFileUploadHandler):
    """Keeps the first bytes only; one byte over the limit is enough for the reader to refuse."""

    def handle_raw_input(self, input_data, META, content_length, boundary, encoding=None):
        self.activated = True
        self.kept = 0

    def receive_data_chunk(self, raw_data, start):
        room = LARGEST_BYTES + 1 - self.kept
        if room > 0:
            self.file.write(raw_data[:room])
            self.kept += min(room, len(raw_data))

    def file_complete(self, file_size):
        return super().file_complete(self.kept)
