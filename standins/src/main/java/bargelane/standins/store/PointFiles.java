package bargelane.standins.store;

import bargelane.standins.Refusal;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;

/** Small files that lie beside points. */
final class PointFiles {

  private final Path dir;

  PointFiles(Path dir) {
    this.dir = dir;
  }

  void put(String point, String name, byte[] content) throws IOException {
    Path files = Files.createDirectories(dir.resolve(point));
    Path temporary = files.resolve(name + ".new");
    Files.write(temporary, content);
    Files.move(
        temporary,
        files.resolve(name),
        StandardCopyOption.ATOMIC_MOVE,
        StandardCopyOption.REPLACE_EXISTING);
  }

  byte[] get(String point, String name) throws IOException {
    Path file = dir.resolve(point).resolve(name);
    if (!Files.exists(file)) {
      throw Refusal.missing("attachment " + name + " of point " + point);
    }
    return Files.readAllBytes(file);
  }

  /** Removes all of a point's files; none is fine. */
  void remove(String point) throws IOException {
    Path files = dir.resolve(point);
    if (Files.isDirectory(files)) {
      VolumeStore.clear(files);
      Files.delete(files);
    }
  }
}
