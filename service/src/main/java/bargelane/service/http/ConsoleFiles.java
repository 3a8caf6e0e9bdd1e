package bargelane.service.http;

import bargelane.service.platform.ProblemException;
import io.javalin.http.Context;
import java.io.IOException;
import java.io.InputStream;
import java.net.URLConnection;

/** The console's files. */
final class ConsoleFiles {

  private ConsoleFiles() {}

  /** The console's files; every page is its index. */
  static void serve(Context ctx) throws IOException {
    if (ctx.path().startsWith("/api/")) {
      throw new ProblemException(
          404, "path-unknown", "there is nothing at " + ctx.path(), "see /api/v1/openapi.json");
    }
    String path = ctx.path().equals("/") ? "/index.html" : ctx.path();
    InputStream file =
        path.contains("..") ? null : ConsoleFiles.class.getResourceAsStream("/console" + path);
    boolean asset = path.startsWith("/assets/");
    if (file == null && !asset) {
      path = "/index.html";
      file = ConsoleFiles.class.getResourceAsStream("/console/index.html");
    }
    if (file == null) {
      throw new ProblemException(
          404, "path-unknown", "there is nothing at " + ctx.path(), "begin at /");
    }
    String type =
        path.endsWith(".js")
            ? "text/javascript"
            : path.endsWith(".css")
                ? "text/css"
                : path.endsWith(".svg")
                    ? "image/svg+xml"
                    : path.endsWith(".woff2")
                        ? "font/woff2"
                        : URLConnection.guessContentTypeFromName(path);
    ctx.header("Cache-Control", asset ? "public, max-age=31536000, immutable" : "no-cache");
    ctx.header(
        "Content-Security-Policy",
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'");
    ctx.header("X-Content-Type-Options", "nosniff");
    ctx.contentType(type == null ? "application/octet-stream" : type).result(file.readAllBytes());
    file.close();
  }
}
