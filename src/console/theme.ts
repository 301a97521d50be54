import {
  Button,
  createTheme,
  Input,
  InputWrapper,
  Menu,
  Modal,
  Popover,
  Table,
  Tooltip,
  type CSSVariablesResolver,
  type MantineColorsTuple,
} from '@mantine/core';

const tuple = (text: string): MantineColorsTuple =>
  text.split(' ').map((hex) => `#${hex}`) as unknown as MantineColorsTuple;

/** What opens over the page has a border that can be seen. */
const OVER_THE_PAGE = { dropdown: { borderColor: 'var(--av-rule)' } };

/**
 * The theme: paper, ink, hairlines; juniper for what can be pressed, brick for what stops mail, ochre for what needs a
 * look.
 */
export const theme = createTheme({
  primaryColor: 'juniper',
  primaryShade: { light: 7, dark: 6 },
  white: '#FFFDF9',
  black: '#1E2A33',
  colors: {
    juniper: tuple('EFF6F2 E3EDE6 C5DDD1 A4CFBC 83C7AC 4F9E83 2C7660 1B5A49 13463A 0D332A'),
    brick: tuple('FBF1ED F7E5DF EFCABE E9AC9A E88E78 D4705A B34C3A 98382A 7A2B20 5A1F17'),
    ochre: tuple('FBF5E6 F7ECD2 EFDAA6 E3B75E D09F3D B07A14 946808 7A560A 5F4308 463106'),
    gray: tuple('FFFDF9 FAF8F3 F1EDE3 DED7C8 DED7C8 8A8374 5F6A72 47545D 2F3C46 1E2A33'),
    dark: tuple('ECE7DB BEC1BB 98A1A5 73808A 2E3A42 26313A 1A2329 141B20 0F1519 0A0F12'),
  },
  fontFamily: "'Source Sans 3 Variable', system-ui, sans-serif",
  fontFamilyMonospace: "'Source Code Pro Variable', monospace",
  fontSizes: { xs: '12.5px', sm: '14px', md: '15px', lg: '16px', xl: '19px' },
  headings: {
    fontFamily: "'Literata Variable', Georgia, serif",
    sizes: {
      h1: { fontSize: '29px', lineHeight: '37px', fontWeight: '480' },
      h2: { fontSize: '17px', lineHeight: '24px', fontWeight: '560' },
      h3: { fontSize: '15px', lineHeight: '22px', fontWeight: '560' },
    },
  },
  radius: { xs: '3px', sm: '4px', md: '6px', lg: '6px', xl: '6px' },
  defaultRadius: 'md',
  shadows: { xs: 'none', sm: 'none', md: 'none', lg: 'none', xl: 'none' },
  respectReducedMotion: true,
  components: {
    Button: Button.extend({
      defaultProps: { variant: 'default', size: 'sm' },
      vars: (_theme, props) => ({
        root:
          props.variant === 'default'
            ? {
                '--button-bg': 'transparent',
                '--button-color': 'var(--av-act)',
                '--button-bd': '1px solid var(--av-rule)',
                '--button-hover': 'var(--av-act-wash)',
              }
            : {},
      }),
    }),
    Input: Input.extend({
      vars: (_theme, props) => ({
        wrapper: (props.error ? { '--input-color': 'var(--av-ink)' } : { '--input-bd': 'var(--av-rule)' }) as Record<
          string,
          string
        >,
      }),
    }),
    InputWrapper: InputWrapper.extend({
      defaultProps: { inputWrapperOrder: ['label', 'input', 'description', 'error'] },
    }),
    Menu: Menu.extend({ defaultProps: { shadow: 'none' }, styles: OVER_THE_PAGE }),
    // What opens is part of the page, to be found within its landmark.
    Popover: Popover.extend({
      defaultProps: { shadow: 'none', portalProps: { target: '#page' } },
      styles: OVER_THE_PAGE,
    }),
    Modal: Modal.extend({
      defaultProps: { shadow: 'none', overlayProps: { color: '#1E2A33', backgroundOpacity: 0.3 } },
    }),
    Table: Table.extend({ defaultProps: { verticalSpacing: 6, horizontalSpacing: 10 } }),
    Tooltip: Tooltip.extend({ defaultProps: { openDelay: 300 } }),
  },
});

const LIGHT = {
  paper: '#FAF8F3',
  sheet: '#FFFDF9',
  board: '#F1EDE3',
  line: '#DED7C8',
  rule: '#8A8374',
  ink: '#1E2A33',
  ink2: '#47545D',
  ink3: '#5F6A72',
  act: '#1B5A49',
  'act-fill': '#1B5A49',
  'act-hover': '#13463A',
  'act-text': '#FFFDF9',
  'act-wash': '#E3EDE6',
  stop: '#98382A',
  'stop-mark': '#98382A',
  'stop-wash': '#F7E5DF',
  look: '#7A560A',
  'look-mark': '#B07A14',
  'look-wash': '#F7ECD2',
  'stage-new': '#3F8FB5',
  'stage-engaged': '#1A469F',
  'stage-fading': '#BF754E',
  'stage-dormant': '#7D5A6B',
  'stage-sunset': '#2B2730',
};
const DARK: typeof LIGHT = {
  paper: '#141B20',
  sheet: '#1A2329',
  board: '#0F1519',
  line: '#2E3A42',
  rule: '#73808A',
  ink: '#ECE7DB',
  ink2: '#BEC1BB',
  ink3: '#98A1A5',
  act: '#83C7AC',
  'act-fill': '#2C7660',
  'act-hover': '#2F7E67',
  'act-text': '#FFFDF9',
  'act-wash': '#1E3831',
  stop: '#E88E78',
  'stop-mark': '#D4705A',
  'stop-wash': '#3A2320',
  look: '#E3B75E',
  'look-mark': '#D09F3D',
  'look-wash': '#362B17',
  'stage-new': '#A5DDF2',
  'stage-engaged': '#7285E6',
  'stage-fading': '#E9B08A',
  'stage-dormant': '#A5668C',
  'stage-sunset': '#79786A',
};

const variables = (tokens: typeof LIGHT): Record<string, string> => ({
  ...Object.fromEntries(Object.entries(tokens).map(([name, value]) => [`--av-${name}`, value])),
  '--mantine-color-body': tokens.paper,
  '--mantine-color-text': tokens.ink,
  '--mantine-color-placeholder': tokens.ink3,
  '--mantine-color-error': tokens.stop,
  '--mantine-color-anchor': tokens.act,
  '--mantine-color-dimmed': tokens.ink3,
});

/** The tokens of the look, per colour scheme; components and charts use only these. */
export const cssVariablesResolver: CSSVariablesResolver = () => ({
  variables: {},
  light: variables(LIGHT),
  dark: {
    ...variables(DARK),
    '--mantine-color-juniper-filled-hover': '#2F7E67',
    '--mantine-color-juniper-light': '#1E3831',
    '--mantine-color-juniper-outline': '#83C7AC',
  },
});
