package bargelane.service.http;

import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonMappingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;

/** Request bodies. Unlike what the service stored itself, what comes in may be anything. */
final class Bodies {

  private static final ObjectMapper STRICT =
      Json.MAPPER.copy().enable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES);

  private Bodies() {}

  static <T> T read(byte[] body, Class<T> type) {
    try {
      T value =
          STRICT.readValue(
              body.length == 0 ? "{}".getBytes(java.nio.charset.StandardCharsets.UTF_8) : body,
              type);
      if (value == null) {
        throw new ProblemException(
            400,
            "json-malformed",
            "the body is 'null', not an object",
            "send an object as the API's document at /api/v1/openapi.json says");
      }
      return value;
    } catch (JacksonException e) {
      String where =
          e instanceof JsonMappingException m && !m.getPath().isEmpty()
              ? " at '" + m.getPath().get(m.getPath().size() - 1).getFieldName() + "'"
              : "";
      String line =
          e.getLocation() == null
              ? ""
              : " (line "
                  + e.getLocation().getLineNr()
                  + ", column "
                  + e.getLocation().getColumnNr()
                  + ")";
      throw new ProblemException(
          400,
          "json-malformed",
          "the body can't be read" + where + line + ": " + e.getOriginalMessage().split("\n")[0],
          "send JSON as the API's document at /api/v1/openapi.json says");
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }
}
