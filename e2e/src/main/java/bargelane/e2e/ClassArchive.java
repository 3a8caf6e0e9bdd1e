package bargelane.e2e;

import java.io.File;
import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/**
 * What the tests' many starts of the same programs share: what the JVM keeps of the classes of one
 * program after it has run once (a dynamic class data archive, JEP 350), so that the next start
 * reads them instead of loading and verifying them again. An archive is bound to the jars of its
 * class path: when one of them is newer it is made again.
 */
public final class ClassArchive {

  /** The programs that have one each. */
  static final List<String> PROGRAMS = List.of("service", "standin");

  private final Path directory;
  private final String classPath;

  private ClassArchive(Path directory, String classPath) {
    this.directory = directory;
    this.classPath = classPath;
  }

  /** The jars of a class path: a directory in it would make an archive impossible. */
  static String jars(String classPath) {
    return Stream.of(classPath.split(File.pathSeparator))
        .filter(entry -> entry.endsWith(".jar"))
        .collect(Collectors.joining(File.pathSeparator));
  }

  /** Archives in a directory, made first where they are missing or older than a jar. */
  static ClassArchive of(Path directory, String classPath) throws IOException {
    ClassArchive archive = new ClassArchive(directory, classPath);
    Files.createDirectories(directory);
    try (FileChannel channel =
            FileChannel.open(
                directory.resolve("lock"), StandardOpenOption.CREATE, StandardOpenOption.WRITE);
        FileLock alone = channel.lock()) {
      if (alone.isValid() && !archive.current()) {
        Harness.train(archive, classPath, directory);
      }
    }
    return archive;
  }

  private Path file(String program) {
    return directory.resolve(program + ".jsa");
  }

  private boolean current() throws IOException {
    FileTime newest = FileTime.fromMillis(0);
    for (String jar : classPath.split(File.pathSeparator)) {
      FileTime changed = Files.getLastModifiedTime(Path.of(jar));
      newest = changed.compareTo(newest) > 0 ? changed : newest;
    }
    for (String program : PROGRAMS) {
      if (!Files.exists(file(program))
          || Files.getLastModifiedTime(file(program)).compareTo(newest) < 0) {
        return false;
      }
    }
    return true;
  }

  /** Options of a JVM that reads a program's archive, or starts as ever where it doesn't fit. */
  List<String> reading(String program) {
    return List.of(
        "-XX:SharedArchiveFile=" + file(program), "-Xlog:cds=off", "-Xlog:class+path=off");
  }

  /** Options of a JVM that writes a program's archive when it ends. */
  List<String> writing(String program) {
    return List.of(
        "-XX:ArchiveClassesAtExit=" + file(program), "-Xlog:cds=off", "-Xlog:cds+dynamic=off");
  }
}
