package bargelane.service.site;

import bargelane.core.site.SiteKind;
import bargelane.service.platform.WordColumn;

/** How the site room's enums are stored. */
final class SiteWords {

  private SiteWords() {}

  static final class OfKind extends WordColumn<SiteKind> {
    OfKind() {
      super(SiteKind.class);
    }
  }
}
