import {
  ArrowsRightLeftIcon,
  AdjustmentsHorizontalIcon,
  BeakerIcon,
  ChartBarIcon,
  CalendarDaysIcon,
  CheckBadgeIcon,
  ClockIcon,
  Cog6ToothIcon,
  DocumentTextIcon,
  FingerPrintIcon,
  GlobeAltIcon,
  HomeIcon,
  HandThumbUpIcon,
  PlayCircleIcon,
  QueueListIcon,
  RectangleStackIcon,
  ScaleIcon,
  ShieldExclamationIcon,
  Squares2X2Icon,
  TableCellsIcon,
  TagIcon,
  WindowIcon,
} from '@heroicons/react/24/outline';

/** The pages of the navigation, in groups in the order of the work. */
export const PAGE_GROUPS = [
  { title: undefined, pages: [{ to: '/', text: 'Overview', Icon: HomeIcon }] },
  {
    title: 'Rules',
    pages: [
      { to: '/fences', text: 'Fences', Icon: QueueListIcon },
      { to: '/gates', text: 'Gates', Icon: ArrowsRightLeftIcon },
      { to: '/lists', text: 'Lists', Icon: RectangleStackIcon },
      { to: '/pages', text: 'Pages', Icon: WindowIcon },
      { to: '/schedules', text: 'Schedules', Icon: CalendarDaysIcon },
      { to: '/findings', text: 'Findings', Icon: ShieldExclamationIcon },
    ],
  },
  {
    title: 'Reference',
    pages: [
      { to: '/countries', text: 'Countries', Icon: GlobeAltIcon },
      { to: '/categories', text: 'Categories', Icon: TagIcon },
      { to: '/applications', text: 'Applications', Icon: Squares2X2Icon },
    ],
  },
  {
    title: 'Evidence',
    pages: [
      { to: '/logs', text: 'Logs', Icon: DocumentTextIcon },
      { to: '/replays', text: 'Replays', Icon: PlayCircleIcon },
      { to: '/compare', text: 'Compare', Icon: ScaleIcon },
      { to: '/rule-use', text: 'Rule use', Icon: ChartBarIcon },
      { to: '/readiness', text: 'Ready to enforce?', Icon: HandThumbUpIcon },
      { to: '/limit-advice', text: 'Limit advice', Icon: AdjustmentsHorizontalIcon },
      { to: '/try', text: 'Try', Icon: BeakerIcon },
      { to: '/matrix', text: 'Matrix', Icon: TableCellsIcon },
      { to: '/expectations', text: 'Expectations', Icon: CheckBadgeIcon },
    ],
  },
  {
    title: 'Publish',
    pages: [
      { to: '/revisions', text: 'Revisions', Icon: ClockIcon },
      { to: '/audit', text: 'Audit trail', Icon: FingerPrintIcon },
    ],
  },
  { title: undefined, pages: [{ to: '/settings', text: 'Settings', Icon: Cog6ToothIcon }] },
] as const;
